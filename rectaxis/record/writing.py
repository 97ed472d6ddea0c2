"""Adding to a job's record. Whoever adds holds the job's lock, and gets the next places in its order.

Locks are taken in one order everywhere: a vehicle before its jobs.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from typing import TypeVar
from uuid import UUID

from django.db import transaction
from django.shortcuts import get_object_or_404

from rectaxis.common.keys import time_of
from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User
from rectaxis.record.chain import link
from rectaxis.record.errors import ClosedError, KeyUsedError
from rectaxis.record.models import Added, Event, Job, Seal

A = TypeVar("A", bound=Added)


class Book:
    """A job's record, open for writing by one person."""

    def __init__(self, person: User, job: Job) -> None:
        self.person, self.job = person, job
        self.taken = job.added
        self.seals: list[Seal] = []

    @cached_property
    def sealed(self) -> frozenset[str]:
        """Which phases are sealed. Asked once the lock is held: what was read with the lock may be older than it."""
        return frozenset(Seal.objects.filter(job=self.job).values_list("phase", flat=True))

    def add(self, thing: A) -> A:
        """Add one thing, next in order."""
        self.add_all([thing])
        return thing

    def add_all(self, things: Sequence[A]) -> None:
        """Add things of one kind, in order. A key that is there already is an error of the database: look first."""
        for thing in things:
            self.taken += 1
            thing.job, thing.by, thing.sequence = self.job, self.person, self.taken
            thing.device_at = thing.device_at or device_time(thing.pk)
        if things:
            type(things[0])._default_manager.bulk_create(things)
        self.seals += [thing for thing in things if isinstance(thing, Seal)]

    def changed(self) -> None:
        """Something that is there already has changed, such as a picture that came: pages that are open look again."""
        self.taken += 1

    def begin_work(self) -> None:
        """A job that is planned or paused is in hand as soon as something is done to it."""
        if self.job.status in (Job.Status.PLANNED, Job.Status.PAUSED):
            self._give(Job.Status.OPEN)

    def change(self, status: Job.Status, text: str = "") -> None:
        """Give the job another status, and put it on the record."""
        self._give(status)
        self.add(Event(what=status, text=text))

    def _give(self, status: Job.Status) -> None:
        self.job.status = status
        self.job.save(update_fields=["status"])


@contextmanager
def writing(person: User, job: Job, *, closed_too: bool = False) -> Iterator[Book]:
    """Hold a job's lock, in a transaction; of ``job`` only the key is used. **Raises** PermissionDenied, Http404 where there
    is no such job, and ClosedError unless ``closed_too``.
    """
    demand(allowed=may_measure(person))
    with transaction.atomic():
        jobs = locking(Job).select_related("vehicle__fleet", "technician")
        locked = get_object_or_404(jobs, pk=job.pk)
        if locked.closed and not closed_too:
            raise closed(locked)
        book = Book(person, locked)
        yield book
        # Last, as they then are: whoever seals elsewhere waits no longer than it takes to write a line.
        for seal in book.seals:
            link(seal.pk)
        if book.taken != locked.added:
            Job.objects.filter(pk=locked.pk).update(added=book.taken)
    job.added, job.status = book.taken, locked.status


def closed(job: Job) -> ClosedError:
    """What is said of a change to a closed job."""
    return ClosedError(f"This job is {job.get_status_display()}; its record stays as it is.")


def known(model: type[A], key: UUID, job: Job) -> A | None:
    """What was added under a key before. **Raises** KeyUsedError where another job has it."""
    found: A | None = model._default_manager.filter(pk=key).first()
    if found is not None and found.job_id != job.pk:
        raise KeyUsedError
    return found


def device_time(key: UUID) -> dt.datetime:
    """What the clock said where a key was made, whatever it said."""
    return time_of(key)
