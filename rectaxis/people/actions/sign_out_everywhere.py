"""Sign a person out on every device: a phone that was lost, a browser that was left open."""

from __future__ import annotations

from django.db import transaction
from django.db.models import F

from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User


@transaction.atomic
def sign_out_everywhere(person: User, other: User) -> User:
    """Every session of the other person ends with its next request; people do it for themselves, who manages for anybody. **Raises** PermissionDenied."""
    demand(allowed=person.is_active and (person.pk == other.pk or may_manage(person)))
    locking(User).get(pk=other.pk)
    User.objects.filter(pk=other.pk).update(sign_ins=F("sign_ins") + 1)
    return User.objects.get(pk=other.pk)
