"""Whether a technician's saves wait while the worker makes many reports: ``./run bench reports``."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

from django.test import Client
from uuid6 import uuid7

from rectaxis.demo.business import make_demo
from rectaxis.people.models import User
from rectaxis.record.models import Job, Seal
from rectaxis.reports.actions.make_batch import make_batch
from rectaxis.reports.models import Batch
from rectaxis.reports.search import Wanted
from tests.devices import url_of_database

ROOT = Path(__file__).resolve().parent.parent
REPORTS, IDLE, PAUSE_S = 500, 200, 0.1


def report(count: int = REPORTS) -> None:
    """Print the time of a save alone, and while ``count`` reports are made into one file by another process."""
    make_demo()
    person, in_hand = User.objects.get(username="mara"), Job.objects.get(vehicle__unit="Van 21")
    _more(Job.objects.get(vehicle__unit="Van 9"), count)
    client = Client()
    client.force_login(person)

    def save() -> None:
        body = {"entries": [{"id": str(uuid7()), "slot": "before/outboard_pair/2/left_mm", "typed": "44"}]}
        client.post(f"/jobs/{in_hand.pk}/entries/", body, content_type="application/json")

    alone = _times(save, lambda taken: len(taken) >= IDLE)
    batch = make_batch(person, Wanted(words="Van 9"), Batch.Form.ZIP)
    with tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {"RECTAXIS_DATABASE": url_of_database(), "RECTAXIS_TEST_MEDIA": folder}
        work = f"from rectaxis.reports.tasks import make_batch; make_batch('{batch.pk}')"
        began = time.perf_counter()
        worker = subprocess.Popen(
            [sys.executable, "manage.py", "shell", "-v", "0", "-c", work], cwd=ROOT, env=environment
        )
        beside = _times(save, lambda _: worker.poll() is not None)
        took = time.perf_counter() - began
    batch.refresh_from_db()
    print(
        f"{batch.done} of {batch.count} reports as one ZIP in {took:.0f} s ({batch.status}). A save: alone {_said(alone)}, beside that {_said(beside)}; "
        f"the 95th percentile is {_p95(beside) / _p95(alone):.2f} times as long ({len(beside)} saves)"
    )


def _more(done: Job, count: int) -> None:
    """As many closed jobs like one, each with seals of its own: else their PDFs would be kept as one."""
    seals = list(Seal.objects.filter(job=done).order_by("sequence"))
    for _ in range(count - 1):
        job = Job.objects.get(pk=done.pk)
        job.pk = uuid7()
        job.save(force_insert=True)
        for seal in seals:
            seal.pk, seal.job, seal.digest = uuid7(), job, uuid4().hex * 2
        Seal.objects.bulk_create(seals)


def _times(work: Callable[[], None], enough: Callable[[list[float]], bool]) -> list[float]:
    taken: list[float] = []
    work()
    while not enough(taken):
        began = time.perf_counter()
        work()
        taken.append(time.perf_counter() - began)
        time.sleep(PAUSE_S)
    return taken


def _p95(taken: list[float]) -> float:
    return statistics.quantiles(taken, n=20)[-1]


def _said(taken: list[float]) -> str:
    return f"{statistics.median(taken) * 1e3:.0f} ms in the middle, {_p95(taken) * 1e3:.0f} at the 95th percentile"
