"""Writing letters: once for each contact and version of a report, in the queue by the same transaction."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from rectaxis.business.letter_words import filled
from rectaxis.business.models import the_business
from rectaxis.people.models import User
from rectaxis.post.models import Contact, Letter
from rectaxis.post.words import values_of
from rectaxis.record.models import Job
from rectaxis.reports.find import report_of

READER = User(angle_style=User.AngleStyle.DEGREES)
"""Whoever gets a letter reads in degrees: contacts have no units of their own."""


def write_report(contact: Contact, job: Job, by: User | None) -> Letter | None:
    """The letter with the latest version of a closed job's report; None where there is no report, or this contact is no longer there.

    Written once: the same version to the same address again answers with the letter there is.
    """
    report = report_of(job, READER)
    if report is None or report.draft or contact.former:
        return None
    business, values = the_business(), values_of(report, contact.name)
    subject = " ".join(filled(business.letter_subject, values).split())[:200]
    return write(
        contact,
        f"report/{job.pk}/{report.version}/{contact.pk}",
        subject,
        filled(business.letter_body, values),
        by,
        job,
    )


def write(contact: Contact, key: str, subject: str, body: str, by: User | None, job: Job | None = None) -> Letter:
    """A letter to a contact in the queue, or the one there is by that key."""
    return write_to(contact.email, key, subject, body, by, contact=contact, job=job)


def write_to(to: str, key: str, subject: str, body: str, by: User | None, **of: Any) -> Letter:
    """A letter to an address in the queue, or the one there is by that key; ``of`` is its contact, its job, or that it is secret."""
    with transaction.atomic():
        letter, made = Letter.objects.get_or_create(
            key=key, defaults={"to": to, "subject": subject, "body": body, "by": by, **of}
        )
        if made:
            enqueue(letter)
    return letter


def enqueue(letter: Letter) -> None:
    """Put a letter into the queue, once."""
    try:
        with transaction.atomic():
            app.configure_task("send_letter", queueing_lock=f"letter/{letter.pk}").defer(letter=str(letter.pk))
    except AlreadyEnqueued:
        return
