"""Reports by fleet, day and words, of those that a person may see."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db.models import F, QuerySet

from rectaxis.common.days import start_of
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import may_work
from rectaxis.people.models import User
from rectaxis.record.models import CLOSED, Job, Seal
from rectaxis.record.seal import Statement

LONGEST_WORDS = 60
_COPIES = ("layout", "specification", "rig", "simulation", "vehicle__layout")
"""What no list of visits shows, and what takes longest to be read."""


@dataclass(frozen=True)
class Wanted:
    """What is looked for; empty is anything."""

    fleet: str = ""
    since: dt.date | None = None
    until: dt.date | None = None
    words: str = ""

    @property
    def said(self) -> str:
        """As the name of a file or a batch."""
        parts = [self.words, f"from {self.since}" if self.since else "", f"to {self.until}" if self.until else ""]
        return "Reports " + " ".join(part for part in parts if part) if any(parts) else "Reports"


def found_reports(person: User, wanted: Wanted) -> QuerySet[Job]:
    """Closed jobs that a person may see the reports of, newest first: a fleet's people see their own fleet's."""
    jobs = (
        Job.objects.filter(status__in=CLOSED)
        .select_related("vehicle__fleet", "technician")
        .defer(*_COPIES)
        .order_by("-planned_at", "-pk")
    )
    if not may_work(person):
        jobs = jobs.filter(vehicle__fleet=person.fleet_id) if person.is_active and person.fleet_id else jobs.none()
    # Days as moments, and vehicles by their own index: a day or a unit that the database must work out of each row is slow among a million.
    narrowed: dict[str, Any] = {
        "vehicle__fleet": wanted.fleet, "planned_at__gte": start_of(wanted.since) if wanted.since else None,
        "planned_at__lt": start_of(wanted.until + dt.timedelta(days=1)) if wanted.until else None,
        "vehicle__in": Vehicle.objects.filter(unit__icontains=wanted.words) if wanted.words else None,
    }  # fmt: skip
    return jobs.filter(**{name: value for name, value in narrowed.items() if value not in (None, "")})


def said_of(jobs: Iterable[Job], parts: Sequence[str]) -> dict[UUID, dict[str, Any]]:
    """Some ``parts`` of each job's latest statement, by the job's key: one question for all of them, and no more than is asked for."""
    sealed = Seal.objects.filter(job__in=list(jobs), statement__isnull=False).order_by("sequence")
    found = sealed.annotate(**{f"of_{name}": F(f"statement__{name}") for name in parts})
    return {
        one["job"]: {name: one[f"of_{name}"] for name in parts}
        for one in found.values("job", *(f"of_{name}" for name in parts))
    }


def answers_of(jobs: Iterable[Job]) -> dict[UUID, tuple[str, str]]:
    """The answer of each job's latest report, its code and its words, by the job's key."""
    said = said_of(jobs, ("left", "found"))
    answers = {job: one["left"] or one["found"] for job, one in said.items()}
    return {job: (answer["code"], answer["head"]) for job, answer in answers.items() if answer}


def latest_statements(jobs: Iterable[Job]) -> dict[UUID, Statement]:
    """The latest statement of each job, by its key: one question for all of them."""
    sealed = (
        Seal.objects.filter(job__in=list(jobs), statement__isnull=False).order_by("job", "-sequence").distinct("job")
    )
    return {job: Statement.from_json(said) for job, said in sealed.values_list("job", "statement")}
