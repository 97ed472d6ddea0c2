"""Lift a wheel, so that its readings are frozen; put it down again, so that their changes are carried over."""

from __future__ import annotations

from uuid6 import uuid7

from rectaxis.people.models import User
from rectaxis.record.errors import ClosedError
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import LIFT, Phase, parse
from rectaxis.record.writing import Book, writing
from rectaxis.visit.decisions import DOWN, LIFTED
from rectaxis.visit.visit import Visit


def lift_wheel(person: User, job: Job) -> None:
    """Record that a wheel is off the ground. Lifting twice is once. **Raises** PermissionDenied, ClosedError."""
    with writing(person, job) as book:
        if _opened(book).setting.lifted is None:
            book.add(Entry(pk=uuid7(), slot=str(LIFT), typed=LIFTED))


def put_down(person: User, job: Job) -> int:
    """Record that it is down; answers with how many numbers were carried over. **Raises** PermissionDenied, ClosedError."""
    with writing(person, job) as book:
        setting = _opened(book).setting
        if setting.lifted is None:
            return 0
        carried = setting.carried_over()
        book.add_all([
            Entry(pk=uuid7(), slot=str(slot), typed=f"{value:.2f}", value=value)
            for at, value in carried.items()
            for slot in [parse(f"{Phase.SET}/{at}")]
        ])  # fmt: skip
        book.add(Entry(pk=uuid7(), slot=str(LIFT), typed=DOWN))
        return len(carried)


def _opened(book: Book) -> Visit:
    visit = Visit(book.job)
    if Phase.AFTER in book.sealed:
        raise ClosedError("The record of this visit is closed; what is lifted now is a new visit's.")
    return visit
