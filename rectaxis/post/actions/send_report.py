"""Send a report by a press, and try a letter again."""

from __future__ import annotations

from collections.abc import Iterable

from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.post.models import Contact, Letter
from rectaxis.post.write import enqueue, write_report
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.reports.find import ANYBODY, report_of

TRIED_AGAIN = (Letter.Status.REFUSED, Letter.Status.FAILED, Letter.Status.UNSURE)


class LetterError(RecordError):
    """A letter that cannot be written; the text says why."""


@transaction.atomic
def send_report(person: User, job: Job, contacts: Iterable[Contact]) -> list[Letter]:
    """Write to contacts of the vehicle's own fleet, once each. **Raises** PermissionDenied, LetterError."""
    demand(allowed=may_work(person))
    report = report_of(job, ANYBODY)
    if report is None or report.draft:
        raise LetterError("A report goes out once its job is handed over or ended.")
    chosen = [contact for contact in contacts if contact.fleet_id == job.vehicle.fleet_id and not contact.former]
    if not chosen:
        raise LetterError("Choose who gets it.")
    return [write_report(contact, report, person) for contact in chosen]


@transaction.atomic
def try_again(person: User, letter: Letter) -> Letter:
    """Put a letter that did not go out, or of which nobody knows, into the queue again. **Raises** PermissionDenied, LetterError."""
    demand(allowed=may_work(person))
    letter = locking(Letter).get(pk=letter.pk)
    if letter.status not in TRIED_AGAIN:
        raise LetterError(f"It is {letter.get_status_display()}.")
    letter.status, letter.tries, letter.said = Letter.Status.WAITING, 0, ""
    letter.save()
    enqueue(letter)
    return letter
