"""Hand a job over: from then on its record stays as it is."""

from __future__ import annotations

from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.record.writing import writing
from rectaxis.visit.actions.seal_phase import seal_visit


class HandOverError(RecordError):
    """A job that cannot be handed over yet; the text says why."""


def hand_over(person: User, job: Job) -> Job:
    """Close a job whose before is sealed, and seal what its report says. **Raises** PermissionDenied, HandOverError."""
    with writing(person, job, closed_too=True) as book:
        if book.job.status == Job.Status.ENDED:
            raise HandOverError("This job was ended early; its record stays as it is.")
        if book.job.status != Job.Status.DONE:
            if Phase.BEFORE not in book.sealed:
                raise HandOverError("Save the before first: without it there is nothing to hand over.")
            book.change(Job.Status.DONE)
            seal_visit(book)
    return book.job
