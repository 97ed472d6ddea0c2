"""Add a contact to a fleet, and change one."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_ask
from rectaxis.people.models import User
from rectaxis.post.models import Contact


def add_contact(person: User, fleet: Fleet, **words: Any) -> Contact:
    """A contact with ``name``, ``email`` and ``wants``. **Raises** PermissionDenied, ValidationError."""
    demand(allowed=may_ask(person, fleet.pk))
    contact = Contact(fleet=fleet, **words)
    contact.full_clean()
    contact.save()
    return contact


@transaction.atomic
def change_contact(person: User, contact: Contact, **words: Any) -> Contact:
    """The contact as it is from now on; letters that wait still go to the address of then. **Raises** PermissionDenied, ValidationError."""
    demand(allowed=may_ask(person, contact.fleet_id))
    contact = locking(Contact).get(pk=contact.pk)
    for name, value in words.items():
        setattr(contact, name, value)
    contact.full_clean()
    contact.save()
    return contact
