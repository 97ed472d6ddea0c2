"""The work of the job's pages, of a field's save and of a page that waits: queries, and CPU time as a multiple of a bare page's."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from django.db import connection
from django.template import Template
from django.test import Client
from django.test.utils import CaptureQueriesContext, _TestState
from uuid6 import uuid7

from rectaxis.demo.business import make_demo
from rectaxis.demo.doing import read_all
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.seal_phase import seal_phase

MOVES = 32
_ROUNDS = 25


def measure(name: str, work: Callable[[], object], aim: float, blank: Callable[[], object]) -> bool:
    """Print queries, and CPU as a multiple of the plainest page's, the empty one for finding a vehicle; whether it is within the aim."""
    work()
    with CaptureQueriesContext(connection) as caught:
        work()
    # The next request clears the log, so it is read now.
    asked = [query for query in caught.captured_queries if query["sql"] not in ("BEGIN", "COMMIT")]
    took, ratios = [], []
    for _ in range(_ROUNDS):
        started = time.process_time()
        blank()
        middle = time.process_time()
        work()
        took.append(time.process_time() - middle)
        ratios.append(took[-1] / (middle - started))
    ratio = statistics.median(ratios)
    print(
        f"{name:34} {len(asked):3} queries {statistics.median(took) * 1e3:7.1f} ms CPU {ratio:6.1f} times a bare page "
        f"(aim: at most {aim:g}){'' if ratio <= aim else '  <-'}",
        flush=True,
    )
    return ratio <= aim


def move_often(person: User, job: Job, times: int) -> None:
    """Move two rods in turn, and read all that is read while setting after each."""
    rods = ("A2 left tie rod", "A2 right tie rod")
    for number in range(times):
        record_move(person, job, uuid7(), rods[number % 2], by="1" if number % 4 < 2 else "-1")
        job.refresh_from_db()
        read_all(person, job, "set")


def report() -> None:
    """Print the measurements on the demo's data."""
    make_demo()
    # Pages are made as they are served: the test environment would keep every context beside.
    Template._render = _TestState.saved_data.template_render  # type: ignore[attr-defined] # noqa: SLF001 - there is no other way
    client, person = Client(), User.objects.get(username="mara")
    client.force_login(person)
    job = Job.objects.get(vehicle__unit="Van 21")

    def save() -> None:
        entries = [{"id": str(uuid7()), "slot": "before/outboard_pair/2/left_mm", "typed": "44"}]
        client.post(f"/jobs/{job.pk}/entries/", {"entries": entries}, content_type="application/json")

    def blank() -> None:
        client.get("/find/")

    def idle() -> None:
        client.get(f"/jobs/{job.pk}/read/live/", {"seen": job.version})

    measure("Read", lambda: client.get(f"/jobs/{job.pk}/read/"), 6, blank)
    measure("what follows a save", lambda: client.get(f"/jobs/{job.pk}/read/live/"), 4, blank)
    measure("a field's save", save, 3, blank)
    job.refresh_from_db()
    measure("a page that waits", idle, 1.2, blank)
    setting = Job.objects.get(vehicle__unit="Van 21")
    seal_phase(person, setting, Phase.BEFORE)
    move_often(person, setting, MOVES)
    measure(f"Set after {MOVES} moves", lambda: client.get(f"/jobs/{setting.pk}/set/"), 12, blank)
    measure("what follows, there", lambda: client.get(f"/jobs/{setting.pk}/set/live/"), 12, blank)
