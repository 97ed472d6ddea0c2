"""Fifty technicians who type for ten minutes: how long a save takes them beside a bare page under the same load, and what grows.

``RECTAXIS_MINUTES`` says how long.
"""

from __future__ import annotations

import os
import random
import re
import statistics
import threading
import time

import httpx
from uuid6 import uuid7

from bench.served import a_demo, headers, new_visit, sign_in

PEOPLE, MINUTES = 50, 10.0
_PAUSE_S = 2.0, 6.0
"""Between one number and the next lie steps to the next scale."""
_NUMBERS = 60
"""That many are typed in one visit."""
_AIM_MS = 200


class Technician(threading.Thread):
    """Types a number every few seconds, and looks at a bare page now and then."""

    def __init__(self, base: str, given: dict[str, str], until: float, seed: int) -> None:
        super().__init__(daemon=True)
        self.http, self.given, self.until, self.rng = (
            httpx.Client(base_url=base, timeout=30),
            given,
            until,
            random.Random(seed),
        )
        self.saves: list[float] = []
        self.pages: list[float] = []
        self.errors: list[str] = []

    def run(self) -> None:
        """Until the time is up; one that stops before is an error."""
        try:
            self.work()
        except Exception as error:  # noqa: BLE001 - it is told at the end
            self.errors.append(f"stopped: {error!r}")

    def work(self) -> None:
        """One visit after the other, and in each number after number."""
        while time.monotonic() < self.until:
            self.visit()

    def visit(self) -> None:
        """A visit of one's own, as long as one takes or until the time is up."""
        at = self.http.post("/jobs/new/", data=self.given, headers=headers(self.http)).headers["Location"]
        slots = sorted(set(re.findall(r'data-slot="(before/[^"]+)"', self.http.get(f"{at}read/").text)))
        for _ in range(_NUMBERS):
            time.sleep(self.rng.uniform(*_PAUSE_S))
            if time.monotonic() > self.until:
                return
            entry = {"id": str(uuid7()), "slot": self.rng.choice(slots), "typed": f"{self.rng.uniform(0, 60):.1f}"}
            self.timed(self.saves, "POST", f"{at}entries/", json={"entries": [entry]}, headers=headers(self.http))
            # What the page asks for then.
            self.timed([], "GET", f"{at}read/live/")
            if self.rng.random() < 0.2:
                self.timed(self.pages, "GET", "/preferences/")

    def timed(self, times: list[float], method: str, path: str, **what: object) -> None:
        """Ask, and keep how long it took."""
        started = time.monotonic()
        try:
            answer = self.http.request(method, path, **what)  # type: ignore[arg-type]
        except httpx.TransportError as error:
            self.errors.append(f"{path}: {error!r}")
            return
        times.append(time.monotonic() - started)
        if answer.status_code != httpx.codes.OK:
            self.errors.append(f"{path}: {answer.status_code}")


def report() -> bool:
    """Print it; whether there was no error."""
    minutes = float(os.environ.get("RECTAXIS_MINUTES", str(MINUTES)))
    with a_demo() as served:
        (kit,) = served.sql("SELECT id FROM kits_kit WHERE code = 'mirror_lasers' LIMIT 1")[0]
        vehicles = [
            str(pk)
            for (pk,) in served.sql("SELECT id FROM fleets_vehicle WHERE unit LIKE 'Van %' ORDER BY unit LIMIT 5")
        ]
        until = time.monotonic() + 60 * minutes
        people = [
            Technician(served.base, new_visit(vehicles[n % len(vehicles)], str(kit)), until, n) for n in range(PEOPLE)
        ]
        for one in people:
            sign_in(one.http)  # one after the other: each takes as long as a password is made to take
            one.until = time.monotonic() + 60 * minutes
        for one in people:
            one.start()
        time.sleep(60 * minutes * 0.2)
        early = served.memory()
        time.sleep(60 * minutes * 0.7)
        late = served.memory()
        for one in people:
            one.join(60)
        saves, pages, errors = (
            sorted(x for one in people for x in getattr(one, name)) for name in ("saves", "pages", "errors")
        )
        quick, bare = (statistics.quantiles(times, n=20)[-1] * 1e3 for times in (saves, pages))
        print(
            f"{PEOPLE} technicians, {minutes:g} minutes, {len(saves):,} saves: half within {statistics.median(saves) * 1e3:.0f} ms, 95 % within "
            f"{quick:.0f} ms (aim: {_AIM_MS}); a bare page {bare:.0f} ms: {quick / bare:.2f} times; {len(errors)} errors; "
            f"the web processes hold {early / 1e6:.0f} MB after a fifth of the time and {late / 1e6:.0f} MB after nine tenths"
        )
        for error in errors[:5]:
            print(f"  {error}")
        return not errors
