"""Add the first person of a program in which nobody is yet."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.db import transaction

from rectaxis.people.models import User


@transaction.atomic
def add_first_person(username: str, password: str, **words: str) -> User:
    """A technician who manages the rest. **Raises** PermissionDenied where somebody is there already, ValidationError."""
    if User.objects.exists():
        raise PermissionDenied
    made = User(username=username, role=User.Role.TECHNICIAN, **words)
    made.set_password(password)
    made.full_clean()
    made.save()
    return made
