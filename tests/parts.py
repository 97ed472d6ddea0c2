"""The tests in parts that run beside each other, each with a database of its own; every part's counts come back."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from tests.ready import DATABASE as READY

ROOT = Path(__file__).resolve().parent.parent
BROWSER = (
    (
        "tests.test_own_vehicles",
        "tests.test_outbox",
        "tests.test_newcomer",
        "tests.test_counts",
        "tests.test_fleet_door",
        "tests.test_over_the_years",
        "tests.test_rounds",
    ),
    (
        "tests.test_journey",
        "tests.test_setting",
        "tests.test_mishaps",
        "tests.test_phone",
        "tests.test_every_vehicle",
    ),
    ("tests.test_live", "tests.test_second_screen", "tests.test_cameras", "tests.test_mixed", "tests.test_axles"),
)
"""Tests in the browser, in parts that take about as long; those with devices wait more than they work."""
ROOMS = sorted(f"rectaxis.{tests.parent.name}" for tests in (ROOT / "rectaxis").glob("*/tests"))
VISIT = ("rectaxis.record", "rectaxis.stages", "rectaxis.visit")
"""The rooms whose tests without a browser take about as long as all others'."""
OTHERS = (
    *(room for room in ROOMS if room not in VISIT),
    "tests.test_structure",
    "tests.test_launch",
    "tests.test_recipes",
    "tests.test_feed",
    "tests.test_proxy",
    "tests.test_anything",
)
PARTS = {
    "devices": BROWSER[2], "first browser": BROWSER[0], "the rest without a browser": OTHERS, "second browser": BROWSER[1],
    "visits without a browser": VISIT,
}  # fmt: skip
"""The longest first."""


class Part:
    """One part, begun as it is made."""

    def __init__(self, name: str, command: list[str], **environment: str) -> None:
        self.name = name
        self._said = tempfile.TemporaryFile("w+")  # noqa: SIM115 - it lives as long as the part
        self._process = subprocess.Popen(
            command, cwd=ROOT, env=os.environ | environment, stdout=self._said, stderr=subprocess.STDOUT, text=True
        )

    def result(self) -> tuple[int, int]:
        """Passed and failed, once it is done: what it printed last. A part that did not get so far has failed."""
        self._process.wait()
        with self._said:
            self._said.seek(0)
            said = self._said.read()
        print(f"== {self.name} ==\n{said}", flush=True)
        last = said.strip().splitlines()[-1].split() if said.strip() else []
        if len(last) != 2 or not all(word.isdecimal() for word in last):
            return 0, 1
        return int(last[0]), int(last[1])


def make_ready(path: Path) -> None:
    """Make what every part begins with: a database, and the demo's data in a file. **Raises** CalledProcessError."""
    environment = os.environ | {"RECTAXIS_TEST_DATABASE": READY}
    subprocess.run([sys.executable, "-m", "tests.ready", str(path)], cwd=ROOT, env=environment, check=True)


def django_part(name: str, labels: tuple[str, ...], ready: Path) -> Part:
    """Tests under Django's runner, on a database named after the part and copied from what is ready."""
    command = [sys.executable, "-W", "error", "-m", "tests.parts", *labels]
    database = f"test_rectaxis_{name.replace(' ', '_')}"
    return Part(
        name, command, RECTAXIS_TEST_DATABASE=database, RECTAXIS_TEST_TEMPLATE=READY, RECTAXIS_TEST_READY=str(ready)
    )


def run_here(labels: list[str]) -> tuple[int, int]:
    """Passed and failed of tests in this process."""
    import django

    django.setup()
    from tests.runner import Runner
    from tests.runner_counts import counts

    runner = Runner(verbosity=1, interactive=False)
    runner.run_tests(labels)
    passed, failed, _ = counts(runner.result)
    return passed, failed


if __name__ == "__main__":
    print(*run_here(sys.argv[1:]))
