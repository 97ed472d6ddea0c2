"""Change a person's names and role, give them another password, or let them no longer sign in."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User


@transaction.atomic
def change_person(person: User, other: User, password: str = "", **words: Any) -> User:
    """The other person as they are from now on; the password stays where none is given.

    **Raises** PermissionDenied, ValidationError: nobody shuts themselves out, and whoever manages cannot give that away
    without somebody to take it.
    """
    demand(allowed=may_manage(person))
    other = locking(User).get(pk=other.pk)
    for name, value in words.items():
        setattr(other, name, value)
    if password:
        other.set_password(password)
    other.full_clean()
    if other.pk == person.pk and not other.is_active:
        raise ValidationError({"is_active": "You would shut yourself out: ask another person to do it."})
    other.save()
    if other.pk == person.pk and not may_manage(other):
        raise ValidationError({"role": "You would no longer be able to manage people: ask another person to do it."})
    return other
