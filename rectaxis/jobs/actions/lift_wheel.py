"""Lift a wheel, so that its readings are frozen; put it down again, so that their changes are carried over."""

from __future__ import annotations

from django.db import transaction
from uuid6 import uuid7

from rectaxis.jobs.models import Entry, Job
from rectaxis.jobs.setting import DOWN, LIFT, LIFTED
from rectaxis.jobs.work import Work
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User


class LiftError(ValueError):
    """A wheel that cannot be lifted or put down on the record; the text says why."""


@transaction.atomic
def lift_wheel(person: User, job: Job) -> None:
    """Record that a wheel is off the ground. Lifting twice is once. **Raises** PermissionDenied, LiftError."""
    work = _open(person, job)
    if work.setting.lifted is None:
        Entry.objects.create(id=uuid7(), job=job, by=person, slot=LIFT, typed=LIFTED)


@transaction.atomic
def put_down(person: User, job: Job) -> int:
    """Record that it is down; answers with how many numbers were carried over. **Raises** PermissionDenied, LiftError."""
    work = _open(person, job)
    if work.setting.lifted is None:
        return 0
    carried = work.setting.carried_over()
    Entry.objects.bulk_create(
        Entry(id=uuid7(), job=job, by=person, slot=f"set/{place}", typed=f"{value:.2f}", value=value)
        for place, value in carried.items()
    )
    Entry.objects.create(id=uuid7(), job=job, by=person, slot=LIFT, typed=DOWN)
    return len(carried)


def _open(person: User, job: Job) -> Work:
    demand(allowed=may_measure(person))
    locked = Job.objects.select_for_update().select_related("vehicle").get(pk=job.pk)
    work = Work(locked)
    if locked.closed or "after" in work.seals:
        raise LiftError("The record of this visit is closed; what is lifted now is a new visit's.")
    return work
