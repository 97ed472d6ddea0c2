"""Everything that ``./run test`` checks: lint, the core alone, Django and the browser. The last line counts."""

from __future__ import annotations

import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tests import checks
from tests.parts import PARTS, ROOT, Part, django_part, make_ready, run_here

CORE = """
import sys, unittest
sys.path.insert(0, {root!r})
from tests.runner_counts import counts
result = unittest.TextTestRunner(verbosity=1).run(unittest.defaultTestLoader.discover({tests!r}, {pattern!r}, top_level_dir={root!r}))
passed, failed, _ = counts(result)
alone = "django" not in sys.modules
print("the core alone:", "ok" if alone else "FAILED: it imported Django")
print(passed + alone, failed + (not alone))
"""


_AT_ONCE = 4
CORES = {
    "the core, second half": ("alignment", "test_[m-z]*.py"),
    "the core, first half": ("alignment", "test_[a-l]*.py"),
}
PLANNER = "the planner", "planning", "test_*.py"
"""Name, folder and files of those without a database."""


def core_part(name: str, folder: str, pattern: str) -> Part:
    """A core's tests in some files, in a process in which nothing of Django is there to be imported."""
    program = CORE.format(root=str(ROOT), tests=str(ROOT / folder), pattern=pattern)
    # Its matrices are small: more threads take longer together than one.
    return Part(name, [sys.executable, "-W", "error", "-c", program], OPENBLAS_NUM_THREADS="1")


def all_of_it() -> list[tuple[int, int]]:
    """Passed and failed of every part, a few at once: short ones while the database is made, then the longest first, so that none of them is
    left over at the end.
    """
    # Each browser fills more than a core: more parts at once would only make each wait for the others, until it gives up.
    with ThreadPoolExecutor(_AT_ONCE) as pool, tempfile.TemporaryDirectory() as folder:
        ready = Path(folder) / "demo"
        begun = [pool.submit(checks.run, checks.CHECKS), pool.submit(lambda: core_part(*PLANNER).result())]
        make_ready(ready)
        begun += [
            pool.submit(lambda name=name, labels=labels: django_part(name, labels, ready).result())
            for name, labels in PARTS.items()
        ]
        begun += [
            pool.submit(lambda name=name, which=which: core_part(name, *which).result())
            for name, which in CORES.items()
        ]
        return [one.result() for one in begun]


def main(labels: list[str]) -> int:
    """Run it all, or the tests named; answers the exit status."""
    started = time.monotonic()
    tallies = [run_here(labels)] if labels else all_of_it()
    passed, failed = (sum(column) for column in zip(*tallies, strict=True))
    print(f"All of it took {time.monotonic() - started:.0f} s.")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
