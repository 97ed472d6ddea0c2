"""How the program is, for whoever looks after it: its worker, what failed, its disk, its database, its certificates, its seals."""

from __future__ import annotations

import datetime as dt
import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.db.models import Max
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateEvent, ProcrastinateJob, ProcrastinateWorker

import alignment
from rectaxis.kits.models import Kit
from rectaxis.record.chain import head

WAITS, AWAY = dt.timedelta(minutes=5), dt.timedelta(minutes=2)
"""What waits longer shows that nobody works; a worker that has said nothing for longer is not there."""
LEAST_FREE = 0.1
MOST_FAILED = 20


@dataclass(frozen=True)
class Line:
    """One thing that is looked at, how it is in words, and whether somebody should see to it."""

    title: str
    said: str
    odd: bool = False


@dataclass(frozen=True)
class Failed:
    """A task that was given up: what it was, and when. What it was about is in the log."""

    name: str
    at: dt.datetime | None


def lines(now: dt.datetime) -> list[Line]:
    """Everything that is looked at."""
    return [
        _worker(now),
        _waiting(now),
        _disk(),
        _database(),
        *_kits(timezone.localdate(now)),
        _seals(),
        Line("Version", f"{alignment.__version__}"),
    ]


def failed() -> list[Failed]:
    """The tasks that were given up last; those that succeed are forgotten, and these are not."""
    jobs = list(ProcrastinateJob.objects.filter(status="failed").order_by("-id")[:MOST_FAILED])
    at = dict(ProcrastinateEvent.objects.filter(job__in=jobs, type="failed").values_list("job_id").annotate(Max("at")))
    return [Failed(job.task_name.replace("_", " "), at.get(job.pk)) for job in jobs]


def last_heard() -> dt.datetime | None:
    """When a worker said last that it is there; None where none ever did."""
    found: dt.datetime | None = ProcrastinateWorker.objects.aggregate(last=Max("last_heartbeat"))["last"]
    return found


def _worker(now: dt.datetime) -> Line:
    seen = last_heard()
    if seen is None or now - seen > AWAY:
        said = "none has ever worked" if seen is None else f"said nothing since {timezone.localtime(seen):%d %B, %H:%M}"
        return Line(
            "Worker", f"{said}: letters, PDFs and lists wait. It runs beside the web server with ./run serve.", odd=True
        )
    return Line("Worker", "works")


def _waiting(now: dt.datetime) -> Line:
    waiting = ProcrastinateJob.objects.filter(status="todo", scheduled_at__isnull=True)
    count = waiting.count()
    oldest = ProcrastinateEvent.objects.filter(job__in=waiting.order_by("id")[:1], type="deferred").aggregate(
        at=Max("at")
    )["at"]
    late = oldest is not None and now - oldest > WAITS
    since = f", the first since {timezone.localtime(oldest):%d %B, %H:%M}" if oldest else ""
    return Line("What waits for the worker", f"{count}{since}", odd=late)


def disk() -> tuple[int, int]:
    """What is free where files are kept, and how much there is, in bytes."""
    place = Path(settings.MEDIA_ROOT)
    while not place.exists():
        place = place.parent
    usage = shutil.disk_usage(place)
    return usage.free, usage.total


def _disk() -> Line:
    free, total = disk()
    return Line("Disk", f"{free / 1e9:.0f} of {total / 1e9:.0f} GB free", odd=free / total < LEAST_FREE)


def _database() -> Line:
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_size_pretty(pg_database_size(current_database())), current_setting('server_version')")
        size, version = cursor.fetchone()
    return Line("Database", f"{size}, PostgreSQL {version.split()[0]}")


def _kits(today: dt.date) -> Iterator[Line]:
    for kit in Kit.objects.filter(retired=False).order_by("certified_until"):
        if kit.needs_certificate(today):
            yield Line(kit.name, kit.certificate(today), odd=True)


def _seals() -> Line:
    number, _, mac = head().partition("-")
    said = (
        f"{number} in the chain, the last one {mac[:16]}: ./run verify looks whether all are as they were sealed"
        if number
        else "none yet"
    )
    return Line("Seals", said)
