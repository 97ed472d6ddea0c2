"""Go by what a kit's own devices said when it checked itself today."""

from __future__ import annotations

from uuid6 import uuid7

from alignment.procedure.checklist import FAILED, PASSED
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import CHECKED
from rectaxis.record.snapshot import Snapshot
from rectaxis.record.writing import writing
from rectaxis.visit.carried import checked_by, checked_today


class NoCheckError(RecordError):
    """There is no check to go by; the text says why."""


def go_by_check(person: User, job: Job) -> None:
    """Answer the steps of the kit's self-check as its devices answered them today. **Raises** PermissionDenied, NoCheckError,
    ClosedError.
    """
    with writing(person, job) as book:
        run = checked_today(book.job)
        if run is None:
            raise NoCheckError("The kit's devices have not checked themselves today.")
        steps = [q.slot for q in Snapshot.of(book.job).questions["rig"] if q.group == "self-check"]
        answer = PASSED if run.passed else FAILED
        told = {**dict.fromkeys(steps, answer), **({str(CHECKED): checked_by(run)} if run.passed else {})}
        book.begin_work()
        book.add_all([Entry(pk=uuid7(), slot=slot, typed=typed, value=None) for slot, typed in told.items()])
