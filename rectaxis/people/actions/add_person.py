"""Add a person who signs in."""

from __future__ import annotations

from typing import Any

from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User


def add_person(person: User, username: str, password: str, **words: Any) -> User:
    """A new person with a role; ``words`` are their names, ``role`` and, for a fleet viewer, ``fleet``.

    **Raises** PermissionDenied, ValidationError.
    """
    demand(allowed=may_manage(person))
    made = User(username=username, **words)
    made.set_password(password)
    made.full_clean()
    made.save()
    return made
