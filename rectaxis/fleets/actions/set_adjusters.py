"""Say what adjusts on a vehicle: for its layout, and for its visits on which nothing was moved yet."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Vehicle, check_layout
from rectaxis.fleets.signals import adjusters_changed
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User

MOST_ADJUSTERS = 40


@transaction.atomic
def set_adjusters(person: User, vehicle: Vehicle, entries: list[dict[str, Any]], what: str = "adjusters") -> None:
    """Make the entries the ``adjusters`` of a vehicle, or the ``packings`` on its springs.

    **Raises** PermissionDenied, ValidationError in the core's words.
    """
    demand(allowed=may_work(person))
    if len(entries) > MOST_ADJUSTERS:
        raise ValidationError(f"A vehicle has at most {MOST_ADJUSTERS} adjusters here, got {len(entries)}.")
    # Lock order is the same everywhere: the vehicle before its jobs.
    vehicle = locking(Vehicle).get(pk=vehicle.pk)
    # Whoever edits the list has looked at it: what an update changed need not be said any more.
    layout = {key: value for key, value in vehicle.layout.items() if key != "changed"} | {what: entries}
    check_layout(layout)
    vehicle.layout = layout
    vehicle.save(update_fields=["layout"])
    adjusters_changed.send(sender=Vehicle, vehicle=vehicle, what=what)
