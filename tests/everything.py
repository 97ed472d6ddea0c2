"""Everything that ``./run test`` checks: lint, the core alone, Django and the browser. The last line counts."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
CHECKS = {
    "style": ["ruff", "check", "-q"],
    "format": ["ruff", "format", "--check", "-q"],
    "types": ["mypy", "--no-error-summary"],
    "migrations": ["manage.py", "makemigrations", "--check", "--dry-run"],
}


def static_checks() -> tuple[int, int]:
    """Passed and failed."""
    failed = 0
    for name, words in CHECKS.items():
        command = [sys.executable, *([] if words[0].endswith(".py") else ["-m"]), *words]
        done = subprocess.run(command, cwd=ROOT, check=False, capture_output=True, text=True)
        print(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'}", flush=True)
        if done.returncode:
            failed += 1
            print(done.stdout, done.stderr)
    return len(CHECKS) - failed, failed


CORE = """
import sys, unittest
sys.path.insert(0, {root!r})
from tests.runner_counts import counts
result = unittest.TextTestRunner(verbosity=1).run(unittest.defaultTestLoader.discover({tests!r}, top_level_dir={root!r}))
passed, failed, _ = counts(result)
alone = "django" not in sys.modules
print("the core alone:", "ok" if alone else "FAILED: it imported Django")
print(passed + alone, failed + (not alone))
"""


class CoreTests:
    """The core's tests, in a process of their own beside Django's: nothing of Django is there to be imported."""

    def __init__(self) -> None:
        program = CORE.format(root=str(ROOT), tests=str(ROOT / "alignment"))
        self._process = subprocess.Popen(
            [sys.executable, "-W", "error", "-c", program], cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )  # fmt: skip

    def result(self) -> tuple[int, int]:
        """Passed and failed, once they are done."""
        said, _ = self._process.communicate()
        print(said, flush=True)
        last = said.strip().splitlines()[-1].split() if said.strip() else []
        if len(last) != 2 or not all(word.isdecimal() for word in last):
            return 0, 1
        return int(last[0]), int(last[1])


def django_tests(labels: list[str]) -> tuple[int, int]:
    """Django's tests and the browser journeys."""
    import django

    django.setup()
    from tests.runner import Runner
    from tests.runner_counts import counts

    runner = Runner(verbosity=1, interactive=False)
    runner.run_tests(labels or ["rectaxis", "tests"])
    passed, failed, _ = counts(runner.result)
    return passed, failed


def main(labels: list[str]) -> int:
    """Run it all; answers the exit status."""
    started = time.monotonic()
    core = None if labels else CoreTests()
    tallies = [] if labels else [static_checks()]
    tallies.append(django_tests(labels))
    if core is not None:
        tallies.append(core.result())
    passed, failed = (sum(column) for column in zip(*tallies, strict=True))
    print(f"All of it took {time.monotonic() - started:.0f} s.")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
