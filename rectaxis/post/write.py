"""Writing letters: once for each contact and version of a report, in the queue by the same transaction."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from rectaxis.business.letter_words import filled
from rectaxis.business.models import the_business
from rectaxis.common.queue import ask_once
from rectaxis.people.models import User
from rectaxis.post.models import Contact, Letter
from rectaxis.post.words import values_of
from rectaxis.reports.content import Report


def write_report(contact: Contact, report: Report, by: User | None) -> Letter:
    """The letter to a contact with a version of a sealed report: the same again answers with the letter there is."""
    business, values = the_business(), values_of(report, contact.name)
    subject = " ".join(filled(business.letter_subject, values).split())[:200]
    key = f"report/{report.job.pk}/{report.version}/{contact.pk}"
    body = filled(business.letter_body, values)
    if report.version > 1:
        why = "; ".join(seal.reason for seal in report.corrections)
        subject, body = (
            f"Corrected: {subject}"[:200],
            f"This report takes the place of an earlier one ({why}).\n\n{body}",
        )
    return write(contact, key, subject, body, by, job=report.job, version=report.version)


def write(contact: Contact, key: str, subject: str, body: str, by: User | None, **of: Any) -> Letter:
    """A letter to a contact in the queue, or the one there is by that key."""
    return write_to(contact.email, key, subject, body, by, contact=contact, **of)


def write_to(to: str, key: str, subject: str, body: str, by: User | None, **of: Any) -> Letter:
    """A letter to an address in the queue, or the one there is by that key; ``of`` is its contact, the report that it brings, or that it is secret."""
    with transaction.atomic():
        letter, made = Letter.objects.get_or_create(
            key=key, defaults={"to": to, "subject": subject, "body": body, "by": by, **of}
        )
        if made:
            enqueue(letter)
    return letter


def enqueue(letter: Letter) -> None:
    """Put a letter into the queue, once."""
    ask_once("send_letter", f"letter/{letter.pk}", letter=str(letter.pk))
