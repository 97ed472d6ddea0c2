"""Note that the fleets were told when visits come."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.rounds.arranged import arranged
from rectaxis.rounds.models import Call


@transaction.atomic
def tell(person: User, jobs: Sequence[Job]) -> list[Call]:
    """These times were told; a later plan changes them least. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    calls = []
    for job in jobs:
        call = arranged(person, job)
        call.told = job.planned_at
        call.save(update_fields=["told"])
        calls.append(call)
    return calls
