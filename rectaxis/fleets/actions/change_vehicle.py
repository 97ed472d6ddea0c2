"""Correct what is written of a vehicle: what it is called, and how its axles stand."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.fleets.signals import layout_changed
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User

_WHOLE = ("group", "duals", "steering_ratio", "competes")
_OF_AXLE = ("role", "position_mm", "track_mm", "rigid", "steers")
"""What of a layout, and of an axle in it, the form of a vehicle says; what adjusts, and whatever else is there, stays."""


def corrected(was: dict[str, Any], now: dict[str, Any]) -> dict[str, Any]:
    """A layout as it was, with what a form says now."""
    layout = {key: value for key, value in was.items() if key not in _WHOLE}
    layout |= {key: now[key] for key in _WHOLE if key in now}
    old = was["vehicle"]["axles"]
    axles = [
        {**{key: value for key, value in (old[at] if at < len(old) else {}).items() if key not in _OF_AXLE}, **axle}
        for at, axle in enumerate(now["vehicle"]["axles"])
    ]
    vehicle = {key: value for key, value in was["vehicle"].items() if key != "kingpin_mm"}
    layout["vehicle"] = vehicle | now["vehicle"] | {"axles": axles}
    if "datum" in now:
        layout["datum"] = now["datum"]
    elif was.get("datum", {}).get("kind") == "kingpin":
        del layout["datum"]
    return Layout.from_json(layout).as_json()


@transaction.atomic
def change_vehicle(person: User, vehicle: Vehicle, layout: dict[str, Any], **words: Any) -> Vehicle:
    """The vehicle as it is from now on. **Raises** PermissionDenied, ValidationError in the core's words."""
    demand(allowed=may_work(person))
    vehicle = locking(Vehicle).get(pk=vehicle.pk)
    vehicle.layout = corrected(vehicle.layout, layout)
    for name, value in words.items():
        setattr(vehicle, name, value)
    vehicle.full_clean()
    vehicle.save()
    layout_changed.send(sender=Vehicle, vehicle=vehicle)
    return vehicle
