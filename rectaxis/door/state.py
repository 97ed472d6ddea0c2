"""How a fleet's vehicles stand, from their latest sealed reports: worst first, with what is advised, due and costs."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db.models import F
from django.utils import timezone

from alignment.judge.fitness import IN_ORDER, OUTSIDE, PARTLY, UNKNOWN, UNSAFE, UNSURE
from alignment.procedure.checklist import NEXT_DAY
from rectaxis.door.models import AdviceAnswer
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.models import CLOSED, Job, Seal

_RANK = {UNSAFE: 0, OUTSIDE: 1, UNSURE: 3, PARTLY: 4, UNKNOWN: 5, "": 6, IN_ORDER: 7}
_OVERDUE = 2
"""A vehicle whose day has passed stands before those that are close to a limit."""


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


def standings(fleet: Fleet) -> list[Standing]:
    """Every vehicle of a fleet, worst first. A fixed number of questions, however many there are."""
    latest = (
        Job.objects.filter(vehicle__fleet=fleet, status__in=CLOSED)
        .order_by("vehicle_id", "-planned_at", "-pk")
        .distinct("vehicle_id")
    )
    jobs = {job.vehicle_id: job for job in latest}
    said = _said(jobs.values())
    answers: dict[tuple[UUID, int], AdviceAnswer] = {}
    for answer in AdviceAnswer.objects.filter(job__in=jobs.values()).select_related("by"):
        answers[answer.job_id, answer.place] = answer
    found = [_standing(vehicle, jobs.get(vehicle.pk), said, answers) for vehicle in fleet.vehicles.all()]
    today = timezone.localdate()
    return sorted(found, key=lambda one: (_rank(one, today), one.next_day or dt.date.max, one.vehicle.unit))


def _rank(one: Standing, today: dt.date) -> int:
    return min(_RANK.get(one.code, _RANK[""]), _OVERDUE) if one.overdue(today) else _RANK.get(one.code, _RANK[""])


def _said(jobs: Iterable[Job]) -> dict[UUID, Mapping[str, Any]]:
    """Of each job's latest statement the parts that are needed here."""
    wanted = ("left", "found", "leaving", "advice", "answers")
    sealed = Seal.objects.filter(job__in=list(jobs), statement__isnull=False).order_by("sequence")
    parts = sealed.annotate(**{f"of_{name}": F(f"statement__{name}") for name in wanted})
    return {one["job"]: one for one in parts.values("job", *(f"of_{name}" for name in wanted))}


def _standing(
    vehicle: Vehicle,
    job: Job | None,
    said: Mapping[UUID, Mapping[str, Any]],
    answers: Mapping[tuple[UUID, int], AdviceAnswer],
) -> Standing:
    if job is None:
        return Standing(vehicle)
    parts = said.get(job.pk, {})
    answer = parts.get("of_left") or parts.get("of_found") or {"code": "", "head": "see the report", "said": ""}
    leaving, day = parts.get("of_leaving") or {}, (parts.get("of_answers") or {}).get(NEXT_DAY, {}).get("typed", "")
    return Standing(
        vehicle, job.pk, job.planned_at, answer["code"], answer["head"], answer["said"], tuple(leaving.get("lines", ())), _date(day),
        tuple(_advice(job.pk, parts.get("of_advice") or (), answers)),
    )  # fmt: skip


def _advice(
    job: UUID, given: Sequence[Mapping[str, str]], answers: Mapping[tuple[UUID, int], AdviceAnswer]
) -> Iterator[Advice]:
    for place, one in enumerate(given):
        yield Advice(job, place, one["said"], _date(one.get("due", "")), answers.get((job, place)))


def _date(iso: str) -> dt.date | None:
    try:
        return dt.date.fromisoformat(iso)
    except ValueError:
        return None
