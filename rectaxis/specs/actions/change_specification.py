"""Correct figures in the library, or take them out of it."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.specs.models import Specification
from rectaxis.specs.signals import asked_who_uses


@transaction.atomic
def change_specification(person: User, specification: Specification, **words: Any) -> Specification:
    """A further version of it; visits that were opened keep the one of then. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    specification = locking(Specification).get(pk=specification.pk)
    for name, value in words.items():
        setattr(specification, name, value)
    specification.save()
    return specification


@transaction.atomic
def delete_specification(person: User, specification: Specification) -> None:
    """Take it out of the library. **Raises** PermissionDenied, ValidationError where a visit was judged by it."""
    demand(allowed=may_work(person))
    answers = asked_who_uses.send(sender=Specification, key=str(specification.pk))
    users = sum(int(count or 0) for _, count in answers)
    if users:
        visits = f"{users} visit{'s' if users > 1 else ''}"
        raise ValidationError(f"{visits} went by these figures: they stay, so that it can be seen what was judged by.")
    specification.delete()
