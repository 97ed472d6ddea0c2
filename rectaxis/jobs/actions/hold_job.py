"""Pause a job, take it up again, or end it early with a reason."""

from __future__ import annotations

from django.db import transaction

from rectaxis.jobs.models import Event, Job
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

_TO = {"pause": Job.Status.PAUSED, "resume": Job.Status.OPEN, "end": Job.Status.ENDED}
_SAID = {"pause": "paused", "resume": "taken up again", "end": "ended early"}
_NEEDS_A_REASON = ("end",)


class HoldError(ValueError):
    """What cannot be done to a job as it stands; the text says why."""


@transaction.atomic
def hold_job(person: User, job: Job, what: str, reason: str = "") -> Job:
    """``pause``, ``resume`` or ``end`` a job. **Raises** PermissionDenied, HoldError."""
    demand(allowed=may_measure(person))
    job = Job.objects.select_for_update().get(pk=job.pk)
    if what not in _TO:
        raise HoldError("Expected pause, resume or end.")
    if job.closed:
        raise HoldError("This job is closed; its record stays as it is.")
    if what in _NEEDS_A_REASON and not reason.strip():
        raise HoldError("Say why the job ends here: the reason goes on the record.")
    if job.status == _TO[what]:
        return job
    job.status = _TO[what]
    job.save(update_fields=["status"])
    Event.objects.create(job=job, by=person, what=_SAID[what], text=reason.strip()[:300])
    return job
