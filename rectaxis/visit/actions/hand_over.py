"""Hand a job over: from then on its record stays as it is."""

from __future__ import annotations

from django.db import transaction
from django.shortcuts import get_object_or_404

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.signals import job_closed
from rectaxis.record.slot import Phase
from rectaxis.record.writing import writing
from rectaxis.visit.actions.keep_in_place import keep_in_place
from rectaxis.visit.actions.seal_phase import seal_visit
from rectaxis.visit.actions.stop_if_unsafe import stop_if_unsafe
from rectaxis.visit.visit import Visit


class HandOverError(RecordError):
    """A job that cannot be handed over yet; the text says why."""


def hand_over(person: User, job: Job) -> Job:
    """Close a job whose before is sealed, seal what its report says, and keep with the vehicle what is left in place.

    **Raises** PermissionDenied, HandOverError.
    """
    demand(allowed=may_measure(person))
    with transaction.atomic():
        # Lock order is the same everywhere: the vehicle before its jobs.
        vehicle = get_object_or_404(locking(Vehicle), pk=job.vehicle_id)
        return _closed(person, job, vehicle)


def _closed(person: User, job: Job, vehicle: Vehicle) -> Job:
    with writing(person, job, closed_too=True) as book:
        if book.job.status == Job.Status.ENDED:
            raise HandOverError("This job was ended early; its record stays as it is.")
        if book.job.status != Job.Status.DONE:
            if Phase.BEFORE not in book.sealed:
                raise HandOverError("Save the before first: without it there is nothing to hand over.")
            stop_if_unsafe(Visit(book.job))
            book.change(Job.Status.DONE)
            seal_visit(book)
            keep_in_place(Visit(book.job), vehicle)
            job_closed.send(sender=Job, job=book.job)
    return book.job
