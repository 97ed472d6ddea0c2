"""The week and the day as plain data for the time line: rows of one technician's day, and blocks on them."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from django.utils import timezone

from planning.durations import Durations
from rectaxis.common.days import start_of
from rectaxis.day.board import LATE
from rectaxis.record.models import CLOSED, Job
from rectaxis.rounds.gather import call_of, minutes_of, wall
from rectaxis.rounds.models import Crew
from rectaxis.rounds.took import taught

LEFT, WIDTH, ROW, TOP = 166, 908, 46, 30
"""In the drawing's units: where the hours begin, how wide all is, how high a row is, and the hours above."""
_LETTER = 6.8
STATES = {
    "planned": ("○", "planned"), "under-way": ("◐", "under way"), "done": ("●", "done"), "late": ("◌!", "late"), "ended": ("✕", "ended early"),
}  # fmt: skip
"""By code the glyph, which tells without colour, and the word."""
MOST = 400


@dataclass(frozen=True)
class Block:
    """One visit on the time line."""

    job: Job
    key: str
    unit: str
    where: str
    begins: dt.datetime
    ends: dt.datetime
    state: str
    x: float
    y: float
    width: float
    wished: bool
    told: bool
    why: str

    @property
    def day(self) -> dt.date:
        return self.begins.date()

    @property
    def glyph(self) -> str:
        return STATES[self.state][0]

    @property
    def word(self) -> str:
        return STATES[self.state][1]

    @property
    def moves(self) -> bool:
        """Whether it can still be moved."""
        return self.state in ("planned", "late")

    @property
    def shows(self) -> str:
        """The unit, or its last words, which tell it from its sisters; the glyph where nothing fits."""
        words = self.unit.split(" ")
        for text in (f"{self.glyph} {self.unit}", *(" ".join(words[first:]) for first in range(len(words)))):
            if len(text) * _LETTER <= self.width - 8:
                return text
        return self.glyph

    @property
    def said(self) -> str:
        told = ", told" if self.told else ""
        return f"{self.unit}, {self.where}, {self.begins:%-H:%M} to {self.ends:%-H:%M}, {self.word}{', set by a person' if self.wished else ''}{told}"


@dataclass(frozen=True)
class Row:
    """A technician's day: its hours, absences and visits."""

    crew: Crew
    day: dt.date
    y: float
    works: tuple[float, float] | None
    away: tuple[tuple[float, float], ...]
    blocks: tuple[Block, ...]
    first: bool

    @property
    def middle(self) -> float:
        return self.y + ROW / 2 + 5


@dataclass(frozen=True)
class Board:
    """The time line of some days."""

    rows: tuple[Row, ...]
    hours: tuple[tuple[int, float], ...]
    begins: int
    scale: float
    height: float
    nobody: tuple[Job, ...] = ()
    """Visits of people without hours."""
    left, width, row, top = LEFT, WIDTH, ROW, TOP

    @property
    def blocks(self) -> list[Block]:
        return [block for row in self.rows for block in row.blocks]


def board_of(crew: Sequence[Crew], days: Sequence[dt.date], now: dt.datetime) -> Board:
    """Rows for everybody and every day; of several days, only for those that are worked or on which a visit is planned."""
    known = taught()
    jobs = _jobs(days)
    if len(days) > 1:
        days = _to_show(days, crew, jobs)
    begins, ends = _span(crew, jobs)
    scale = (WIDTH - LEFT - 10) / (ends - begins)
    by: dict[tuple[int, dt.date], list[Job]] = defaultdict(list)
    for job in jobs:
        by[job.technician_id, wall(job.planned_at).date()].append(job)
    rows, y = [], float(TOP)
    for one in crew:
        for number, day in enumerate(days):
            place = _Place(begins, scale, y)
            blocks = tuple(_block(job, place, known, now) for job in by.pop((one.person_id, day), []))
            works = place.span(one.starts, one.ends) if day.weekday() in one.days else None
            rows.append(Row(one, day, y, works, tuple(_away(one, day, place)), blocks, number == 0))
            y += ROW
    hours = tuple((hour, LEFT + (hour * 60 - begins) * scale) for hour in range(-(-begins // 60), ends // 60 + 1))
    left = tuple(job for ones in by.values() for job in ones)
    return Board(tuple(rows), hours, begins, scale, y + 6, left)


@dataclass(frozen=True)
class _Place:
    begins: int
    scale: float
    y: float

    def x(self, time: dt.time) -> float:
        return LEFT + (time.hour * 60 + time.minute - self.begins) * self.scale

    def span(self, start: dt.time, end: dt.time) -> tuple[float, float]:
        return self.x(start), max(2.0, self.x(end) - self.x(start))


def _to_show(days: Sequence[dt.date], crew: Sequence[Crew], jobs: Sequence[Job]) -> list[dt.date]:
    """The days from Monday to Friday, those on which somebody works, and those on which a visit is planned all the same."""
    worked = {0, 1, 2, 3, 4}.union(*(one.days for one in crew))
    booked = {wall(job.planned_at).date() for job in jobs}
    return [day for day in days if day.weekday() in worked or day in booked]


def _jobs(days: Sequence[dt.date]) -> list[Job]:
    begins, ends = start_of(days[0]), start_of(days[-1] + dt.timedelta(days=1))
    found = Job.objects.filter(planned_at__gte=begins, planned_at__lt=ends).select_related(
        "vehicle__fleet", "kit", "technician", "call"
    )
    return list(found.order_by("planned_at")[:MOST])


def _span(crew: Sequence[Crew], jobs: Sequence[Job]) -> tuple[int, int]:
    """Whole hours that hold everybody's work and every visit."""
    times = [(one.starts.hour, one.ends.hour + (one.ends.minute > 0)) for one in crew]
    times += [(wall(job.planned_at).hour, min(24, wall(job.planned_at).hour + 2)) for job in jobs]
    return min((start for start, _ in times), default=7) * 60, max((end for _, end in times), default=18) * 60


def _block(job: Job, place: _Place, known: Durations, now: dt.datetime) -> Block:
    begins, call = wall(job.planned_at), call_of(job)
    minutes = call.takes[0] if call.takes and not call.minutes else minutes_of(job, known)[0]
    ends = begins + dt.timedelta(minutes=minutes)
    return Block(
        job, f"job/{job.pk}", job.vehicle.unit, job.vehicle.stands_at or job.vehicle.fleet.name, begins, ends, _state(job, now),
        round(place.x(begins.time()), 1), place.y + 4, round(max(24.0, minutes * place.scale), 1), call.wished,
        call.told is not None and call.told == job.planned_at, call.why,
    )  # fmt: skip


def _state(job: Job, now: dt.datetime) -> str:
    if job.status == Job.Status.ENDED:
        return "ended"
    if job.status in CLOSED:
        return "done"
    if job.status != Job.Status.PLANNED:
        return "under-way"
    return "late" if job.planned_at < now - LATE else "planned"


def _away(crew: Crew, day: dt.date, place: _Place) -> list[tuple[float, float]]:
    found = []
    midnight = dt.datetime.combine(day, dt.time())
    for one in crew.absences.all():
        start, end = max(wall(one.starts), midnight), min(wall(one.ends), midnight + dt.timedelta(hours=23, minutes=59))
        if start < end:
            x, width = place.span(start.time(), end.time())
            left = max(float(LEFT), x)
            found.append((left, min(x + width, WIDTH - 10.0) - left))
    return [one for one in found if one[1] > 0]


def monday_of(day: dt.date) -> dt.date:
    """The Monday of a day's week."""
    return day - dt.timedelta(days=day.weekday())


def today() -> dt.date:
    """Today, here."""
    return timezone.localdate()
