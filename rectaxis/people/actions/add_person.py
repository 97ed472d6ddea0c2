"""Add a person who signs in."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User
from rectaxis.people.signals import person_invited


@transaction.atomic
def add_person(person: User, username: str, password: str, **words: Any) -> User:
    """A new person with a role; ``words`` are their names, ``email``, ``role`` and, for a fleet viewer, ``fleet``.

    Without a password they are invited: a letter leads to where they set their own. **Raises** PermissionDenied, ValidationError.
    """
    demand(allowed=may_manage(person))
    made = User(username=username, **words)
    if not password and not made.email:
        raise ValidationError({"password": "Give a password, or an e-mail address to invite this person."})
    made.set_password(password or None)
    made.full_clean()
    made.save()
    if not password:
        person_invited.send(sender=User, invited=made, by=person)
    return made
