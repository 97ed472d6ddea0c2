"""Letters that lead to where a person sets a password: an invitation by the office, and what somebody asks for who forgot theirs."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.conf import settings
from django.contrib.auth.tokens import default_token_generator
from django.db import transaction
from django.dispatch import receiver
from django.urls import reverse
from django.utils import timezone
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_encode

from rectaxis.business.models import the_business
from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User
from rectaxis.people.signals import person_invited
from rectaxis.post.actions.send_report import LetterError
from rectaxis.post.models import Letter
from rectaxis.post.write import write_to

_AGAIN = dt.timedelta(minutes=5)
"""Nobody gets such a letter more often."""


def invite_person(person: User, other: User) -> Letter:
    """Invite somebody, or once more. **Raises** PermissionDenied, LetterError."""
    demand(allowed=may_manage(person))
    if not other.email or not other.is_active:
        raise LetterError("Only somebody who may sign in and has an e-mail address can be invited.")
    letter = _written(other, "You can sign in", "you can sign in now. Set your password here", person)
    if letter is None:
        raise LetterError("A letter went out within the last five minutes.")
    return letter


@receiver(person_invited)
def _invite(invited: User, by: User, **_: Any) -> None:
    invite_person(by, invited)


def forgot_password(address: str) -> None:
    """Write to whoever may sign in with that e-mail address; whether there is anybody is not said."""
    found = User.objects.filter(email__iexact=address.strip(), is_active=True).exclude(email="")
    for person in found[:5]:
        _written(
            person, "Another password", "somebody asked for another password for you. If it was you, set it here", None
        )


@transaction.atomic
def _written(person: User, subject: str, words: str, by: User | None) -> Letter | None:
    """The letter; None where one went out just now."""
    locking(User).get(pk=person.pk)
    begins = f"password/{person.pk}/"
    if Letter.objects.filter(key__startswith=begins, made_at__gt=timezone.now() - _AGAIN).exists():
        return None
    token = default_token_generator.make_token(person)
    path = reverse("people:set-password", args=[urlsafe_base64_encode(force_bytes(person.pk)), token])
    hours = settings.PASSWORD_RESET_TIMEOUT // 3600
    name = the_business().name
    body = f"Dear {person.shown_name},\n\n{words}, within {hours} hours:\n\n{settings.SITE}{path}\n\nYou sign in as {person.username}.\n\n{name}\n"
    return write_to(person.email, f"{begins}{token}", f"{name}: {subject}" if name else subject, body, by, secret=True)
