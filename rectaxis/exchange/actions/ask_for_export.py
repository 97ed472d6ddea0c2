"""Ask for a fleet's whole data."""

from __future__ import annotations

from django.db import transaction
from procrastinate.contrib.django import app

from rectaxis.common.locks import locking
from rectaxis.exchange.models import Export
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_see_fleet
from rectaxis.people.models import User


@transaction.atomic
def ask_for_export(person: User, fleet: Fleet) -> Export:
    """One that is being made for the same person is the one. **Raises** PermissionDenied."""
    demand(allowed=may_see_fleet(person, fleet.pk))
    locking(Fleet).get(pk=fleet.pk)
    waiting = Export.objects.filter(fleet=fleet, by=person, status=Export.Status.WAITING).first()
    if waiting is not None:
        return waiting
    made = Export.objects.create(fleet=fleet, by=person)
    app.configure_task("make_export").defer(key=str(made.pk))
    return made
