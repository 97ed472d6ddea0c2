"""Server time and query count of the job page and of one field's save."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from uuid6 import uuid7

from rectaxis.demo.business import make_demo
from rectaxis.people.models import User
from rectaxis.record.models import Job


def measure(name: str, work: Callable[[], object], aim: str, blank: Callable[[], object]) -> None:
    """Print queries, and time as a multiple of the plainest page's."""
    work()
    with CaptureQueriesContext(connection) as caught:
        work()
    # The next request clears the log, so it is read now.
    asked = [query for query in caught.captured_queries if query["sql"] not in ("BEGIN", "COMMIT")]
    times = []
    for _ in range(25):
        started = time.perf_counter()
        blank()
        middle = time.perf_counter()
        work()
        times.append(((time.perf_counter() - middle), (middle - started)))
    took = statistics.median(t for t, _ in times)
    ratio = statistics.median(t / b for t, b in times)
    print(f"{name}: {len(asked)} queries ({aim}), {took * 1e3:.0f} ms, {ratio:.1f} times the preferences page")


def report() -> None:
    """Print the measurements on the demo's data."""
    make_demo()
    client, job = Client(), Job.objects.get(vehicle__unit="Van 21")
    client.force_login(User.objects.get(username="mara"))

    def save() -> None:
        body = {"entries": [{"id": str(uuid7()), "slot": "before/outboard_pair/2/left_mm", "typed": "44"}]}
        client.post(f"/jobs/{job.pk}/entries/", body, content_type="application/json")

    def blank() -> None:
        client.get("/preferences/")

    measure("job page, read stage", lambda: client.get(f"/jobs/{job.pk}/read/"), "aim: under 12", blank)
    measure("job page, set stage", lambda: client.get(f"/jobs/{job.pk}/set/"), "aim: under 12", blank)
    measure("what follows a save", lambda: client.get(f"/jobs/{job.pk}/read/live/"), "aim: under 12", blank)
    measure("one field's save", save, "aim: under 8", blank)
