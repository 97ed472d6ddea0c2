"""How a fleet's vehicles stand, from their latest sealed reports: worst first, with what is advised, due and costs."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.utils import timezone

from alignment.judge.fitness import UNKNOWN, UNSURE, WORST_FIRST
from alignment.procedure.checklist import NEXT_DAY
from rectaxis.common.days import day_of
from rectaxis.door.models import AdviceAnswer
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.models import CLOSED, Job
from rectaxis.reports.search import said_of

_NEVER = WORST_FIRST.index(UNKNOWN)
"""One that was never measured stands with those of which nothing can be said."""
_OVERDUE = WORST_FIRST.index(UNSURE)
"""One whose day has passed stands with those that are too close to a limit, and not further down."""


@dataclass(frozen=True)
class Advice:
    """A piece of advice of a vehicle's latest report, and the fleet's answer to it (None while it is open)."""

    job: UUID
    place: int
    said: str
    due: dt.date | None
    answer: AdviceAnswer | None

    @property
    def open(self) -> bool:
        return self.answer is None or self.answer.answer == AdviceAnswer.Answer.OPEN


@dataclass(frozen=True)
class Standing:
    """A vehicle as its latest report left it. ``job`` is None of one that was never measured."""

    vehicle: Vehicle
    job: UUID | None = None
    day: dt.datetime | None = None
    code: str = ""
    head: str = "never measured"
    said: str = ""
    costs: tuple[str, ...] = ()
    next_day: dt.date | None = None
    advice: tuple[Advice, ...] = ()

    def overdue(self, today: dt.date) -> bool:
        """Whether its day has passed."""
        return self.next_day is not None and self.next_day < today

    @property
    def open_advice(self) -> list[Advice]:
        return [one for one in self.advice if one.open]


def standings(fleet: Fleet, yards: Collection[str] = ()) -> list[Standing]:
    """Every vehicle of a fleet, or those that stand at some yards, worst first. A fixed number of questions, however many there are."""
    latest = (
        Job.objects.filter(vehicle__fleet=fleet, status__in=CLOSED)
        .order_by("vehicle_id", "-planned_at", "-pk")
        .distinct("vehicle_id")
    )
    jobs = {job.vehicle_id: job for job in latest}
    said = said_of(jobs.values(), ("left", "found", "leaving", "advice", "answers"))
    answers: dict[tuple[UUID, int], AdviceAnswer] = {}
    for answer in AdviceAnswer.objects.filter(job__in=jobs.values()).select_related("by"):
        answers[answer.job_id, answer.place] = answer
    there = [one for one in fleet.vehicles.select_related("fleet") if not yards or one.stands_at in yards]
    found = [_standing(vehicle, jobs.get(vehicle.pk), said, answers) for vehicle in there]
    today = timezone.localdate()
    return sorted(found, key=lambda one: (_rank(one, today), one.next_day or dt.date.max, one.vehicle.unit))


def _rank(one: Standing, today: dt.date) -> int:
    rank = WORST_FIRST.index(one.code) if one.code in WORST_FIRST else _NEVER
    return min(rank, _OVERDUE) if one.overdue(today) else rank


def _standing(
    vehicle: Vehicle,
    job: Job | None,
    said: Mapping[UUID, Mapping[str, Any]],
    answers: Mapping[tuple[UUID, int], AdviceAnswer],
) -> Standing:
    if job is None:
        return Standing(vehicle)
    parts = said.get(job.pk, {})
    answer = parts.get("left") or parts.get("found") or {"code": "", "head": "see the report", "said": ""}
    leaving, day = parts.get("leaving") or {}, (parts.get("answers") or {}).get(NEXT_DAY, {}).get("typed", "")
    return Standing(
        vehicle, job.pk, job.planned_at, answer["code"], answer["head"], answer["said"], tuple(leaving.get("lines", ())), day_of(day),
        tuple(_advice(job.pk, parts.get("advice") or (), answers)),
    )  # fmt: skip


def _advice(
    job: UUID, given: Sequence[Mapping[str, str]], answers: Mapping[tuple[UUID, int], AdviceAnswer]
) -> Iterator[Advice]:
    for place, one in enumerate(given):
        yield Advice(job, place, one["said"], day_of(one.get("due", "")), answers.get((job, place)))
