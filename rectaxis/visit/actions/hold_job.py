"""Pause a job, take it up again, or end it early with a reason."""

from __future__ import annotations

from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.signals import job_closed
from rectaxis.record.writing import writing
from rectaxis.visit.actions.seal_phase import seal_visit
from rectaxis.visit.fields import plain_text

LONGEST_REASON = 300
_TO = {"pause": Job.Status.PAUSED, "resume": Job.Status.OPEN, "end": Job.Status.ENDED}
_NEEDS_A_REASON = ("end",)


class HoldError(RecordError):
    """What cannot be done to a job as it stands; the text says why."""


def hold_job(person: User, job: Job, what: str, reason: str = "") -> Job:
    """``pause``, ``resume`` or ``end`` a job; its report is sealed where it ends. **Raises** PermissionDenied, RecordError."""
    with writing(person, job) as book:
        if what not in _TO:
            raise HoldError("Expected pause, resume or end.")
        reason = plain_text(reason, LONGEST_REASON)
        if what in _NEEDS_A_REASON and not reason:
            raise HoldError("Say why the job ends here: the reason goes on the record.")
        if book.job.status != _TO[what]:
            book.change(_TO[what], reason)
            if book.job.closed:
                seal_visit(book)
                job_closed.send(sender=Job, job=book.job)
    return book.job
