"""A code for a second screen, and opening that screen by it."""

from __future__ import annotations

from uuid import UUID

from django.utils import timezone

from rectaxis.devices.models import Sign
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User


def make_sign(person: User, job: UUID) -> Sign:
    """A code for one more screen of a visit; those that nobody used in time are forgotten. **Raises** PermissionDenied."""
    demand(allowed=may_measure(person))
    Sign.objects.filter(opened_at=None, made_at__lt=timezone.now() - Sign.CODE_HOLDS).delete()
    return Sign.objects.create(job=job)


def open_sign(code: str) -> Sign | None:
    """The screen that a code opens, once; None for a code that is wrong, old or used. Nobody need be signed in."""
    found = Sign.by_code(code)
    # Of two that press at once one opens it.
    if found is None or not Sign.objects.filter(pk=found.pk, opened_at=None).update(opened_at=timezone.now()):
        return None
    return found
