"""Sending one letter by SMTP: once, or it is said that nobody knows."""

from __future__ import annotations

import smtplib

from django.conf import settings
from django.core.mail import EmailMessage, get_connection
from django.db import transaction

from rectaxis.business.models import the_business
from rectaxis.common.locks import locking
from rectaxis.post.models import Letter
from rectaxis.reports.find import ANYBODY, report_of
from rectaxis.reports.stored import stored_pdf

MOST_TRIES = 9
_LONGEST_SAID = 300
_FOR_GOOD = 500


class TryAgainError(Exception):
    """The mail server was away, or asked to come back: the queue tries again, later each time."""


def send(pk: str) -> Letter:
    """Send a letter that waits. **Raises** TryAgainError where it is to be tried again.

    That it is being sent is written down before it is, so that a program that is killed in the middle leaves a letter of which it is
    said that it may have arrived, and never sends it twice.
    """
    letter = _taken(pk)
    if letter is None:
        return Letter.objects.get(pk=pk)
    try:
        message = _message(letter)
        connection = get_connection()
        connection.open()
    except (OSError, smtplib.SMTPException) as error:
        return _later(letter, error)
    except ValueError as error:
        return _ended(letter, Letter.Status.REFUSED, str(error))
    try:
        message.connection = connection
        message.send()
    except smtplib.SMTPRecipientsRefused as error:
        code, said = next(iter(error.recipients.values()))
        return _answered(letter, code, said)
    except smtplib.SMTPResponseException as error:
        return _answered(letter, error.smtp_code, error.smtp_error)
    except (OSError, smtplib.SMTPException) as error:
        return _ended(letter, Letter.Status.UNSURE, str(error))
    finally:
        connection.close()
    if letter.secret:
        Letter.objects.filter(pk=letter.pk).update(body="")
    return _ended(letter, Letter.Status.SENT, "")


def _taken(pk: str) -> Letter | None:
    """The letter, now being sent; None where it does not wait."""
    with transaction.atomic():
        letter = locking(Letter).select_related("contact", "job__vehicle__fleet").get(pk=pk)
        if letter.status == Letter.Status.SENDING:
            _ended(letter, Letter.Status.UNSURE, "The program ended while this was being sent.")
            return None
        if letter.status != Letter.Status.WAITING:
            return None
        letter.status, letter.tries = Letter.Status.SENDING, letter.tries + 1
        letter.save(update_fields=["status", "tries", "changed_at"])
    return letter


def _message(letter: Letter) -> EmailMessage:
    """**Raises** ValueError where it cannot be sent, with what to do."""
    business = the_business()
    if letter.contact is not None and letter.contact.former:
        raise ValueError(f"{letter.contact.name} is no longer there.")
    if not settings.EMAIL_HOST:
        raise ValueError("No mail server is set: RECTAXIS_MAIL names it (docs/operations.md).")
    if not business.mail_from:
        raise ValueError("The business has no address that its letters come from: the office sets it under Business.")
    domain = business.mail_from.rsplit("@", 1)[-1]
    message = EmailMessage(
        letter.subject, letter.body, f'"{business.name.replace(chr(34), "")}" <{business.mail_from}>' if business.name else business.mail_from,
        [letter.to], headers={"Message-ID": f"<{letter.pk}@{domain}>", "Auto-Submitted": "auto-generated"},
    )  # fmt: skip
    reader = letter.contact.reader if letter.contact is not None else ANYBODY
    report = report_of(letter.job, reader, letter.version) if letter.job is not None else None
    if report is not None:
        message.attach(f"{report.file_name}.pdf", stored_pdf(report), "application/pdf")
    return message


def _answered(letter: Letter, code: int, said: bytes | str) -> Letter:
    """What the server said to it: for good, or to come back."""
    text = said.decode(errors="replace") if isinstance(said, bytes) else said
    if code >= _FOR_GOOD:
        return _ended(letter, Letter.Status.REFUSED, f"{code} {text}")
    return _later(letter, f"{code} {text}")


def _later(letter: Letter, why: object) -> Letter:
    if letter.tries >= MOST_TRIES:
        return _ended(letter, Letter.Status.FAILED, str(why))
    _ended(letter, Letter.Status.WAITING, str(why))
    raise TryAgainError(str(why))


def _ended(letter: Letter, status: Letter.Status, said: str) -> Letter:
    letter.status, letter.said = status, " ".join(said.split())[:_LONGEST_SAID]
    letter.save(update_fields=["status", "said", "changed_at"])
    return letter
