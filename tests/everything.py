"""Everything that ``./run test`` checks: lint, the core alone, Django and the browser. The last line counts."""

from __future__ import annotations

import subprocess
import sys
import time
import unittest
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


def core_tests() -> tuple[int, int]:
    """The core's tests, run before anything of Django is imported."""
    from tests.runner_counts import counts

    suite = unittest.defaultTestLoader.discover(str(ROOT / "alignment"), top_level_dir=str(ROOT))
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    alone = "django" not in sys.modules
    if not alone:
        print("FAILED: the core imported Django.")
    passed, failed, _ = counts(result)
    return passed + alone, failed + (not alone)


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
    tallies = [static_checks(), core_tests()] if not labels else []
    tallies.append(django_tests(labels))
    passed, failed = (sum(column) for column in zip(*tallies, strict=True))
    print(f"All of it took {time.monotonic() - started:.0f} s.")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
