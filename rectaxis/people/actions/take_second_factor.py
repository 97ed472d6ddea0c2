"""Take away the second factor of somebody who lost it, so that they get in by their password."""

from __future__ import annotations

from allauth.mfa.models import Authenticator
from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User
from rectaxis.people.signals import person_told


@transaction.atomic
def take_second_factor(person: User, other: User) -> bool:
    """Whether there was one to take; the other person is told. Nobody takes their own this way: that asks for a code.

    **Raises** PermissionDenied.
    """
    demand(allowed=may_manage(person) and person.pk != other.pk)
    locking(User).get(pk=other.pk)
    taken, _ = Authenticator.objects.filter(user=other).delete()
    if taken:
        words = f"{person.shown_name} took away your second factor: from now on you sign in with your password alone."
        person_told.send(sender=User, told=other, words=words)
    return bool(taken)
