"""Reports by fleet, day and words, of those that a person may see."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from django.db.models import QuerySet

from rectaxis.people.access import may_work
from rectaxis.people.models import User
from rectaxis.record.models import CLOSED, Job, Seal

LONGEST_WORDS = 60


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
        .order_by("-planned_at", "-pk")
    )
    if not may_work(person):
        jobs = jobs.filter(vehicle__fleet=person.fleet_id) if person.is_active and person.fleet_id else jobs.none()
    narrowed: dict[str, Any] = {
        "vehicle__fleet__pk": wanted.fleet, "planned_at__date__gte": wanted.since, "planned_at__date__lte": wanted.until,
        "vehicle__unit__icontains": wanted.words,
    }  # fmt: skip
    return jobs.filter(**{name: value for name, value in narrowed.items() if value})


def answers_of(jobs: list[Job]) -> dict[Any, tuple[str, str]]:
    """The answer of each job's latest report, its code and its words, by the job's key: one question for all of them."""
    found = {}
    sealed = Seal.objects.filter(job__in=jobs, statement__isnull=False).order_by("sequence")
    for seal in sealed.only("job_id", "statement"):
        job, said = seal.job_id, seal.statement or {}
        answer = said.get("left") or said.get("found")
        found[job] = (answer["code"], answer["head"]) if answer else ("", "")
    return found
