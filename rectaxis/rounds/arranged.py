"""What is arranged of a visit that is planned."""

from __future__ import annotations

from rectaxis.common.locks import locking
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.rounds.models import Call


def arranged(person: User, job: Job) -> Call:
    """What is arranged of a visit, made where nothing is. Within a transaction."""
    found = locking(Call).filter(job=job).first()
    return found or Call.objects.create(
        vehicle=job.vehicle, job=job, kit=job.kit, asked=job.asked, scope=job.rig.get("scope", "all"), added_by=person
    )
