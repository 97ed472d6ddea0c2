"""Confirm that scales, looked at again after everything was tightened, show what they showed last."""

from __future__ import annotations

from uuid6 import uuid7

from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import Confirmed, Phase
from rectaxis.record.snapshot import scale
from rectaxis.record.writing import writing
from rectaxis.visit.confirmed import SHOWS_THE_SAME
from rectaxis.visit.visit import Visit


def confirm_readings(person: User, job: Job, setup: int, *, sweep: bool) -> int:
    """Take over what the scales of one hanging showed last as readings of the after; answers with how many numbers.

    Confirming twice is once. **Raises** PermissionDenied, RecordError.
    """
    with writing(person, job) as book:
        if Phase.AFTER in book.sealed:
            raise RecordError("The after is already saved and sealed; its readings stay as they are.")
        offered = Visit(book.job).confirming.offered(setup, sweep=sweep)
        numbers = [
            Entry(pk=uuid7(), slot=str(scale(Phase.AFTER, station, field)), typed=f"{value:.10g}", value=value)
            for station, values in offered
            for field, value in values.items()
        ]
        book.add_all(numbers)
        book.add_all([Entry(pk=uuid7(), slot=str(Confirmed(s.slot)), typed=SHOWS_THE_SAME) for s, _ in offered])
        return len(numbers)
