"""Hand a job over: from then on its record stays as it is."""

from __future__ import annotations

from django.db import transaction

from rectaxis.jobs.models import Event, Job, Seal
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User


class HandOverError(ValueError):
    """A job that cannot be handed over yet; the text says why."""


@transaction.atomic
def hand_over(person: User, job: Job) -> Job:
    """Close a job whose before is sealed. **Raises** PermissionDenied, HandOverError."""
    demand(allowed=may_measure(person))
    job = Job.objects.select_for_update().get(pk=job.pk)
    if job.status == Job.Status.DONE:
        return job
    if job.status == Job.Status.ENDED:
        raise HandOverError("This job was ended early; its record stays as it is.")
    if not Seal.objects.filter(job=job, phase="before").exists():
        raise HandOverError("Save the before first: without it there is nothing to hand over.")
    job.status = Job.Status.DONE
    job.save(update_fields=["status"])
    Event.objects.create(job=job, by=person, what="handed over")
    return job
