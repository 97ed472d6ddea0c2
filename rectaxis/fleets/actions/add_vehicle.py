"""Add a vehicle to a fleet."""

from typing import Any

from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User


def add_vehicle(person: User, fleet: Fleet, layout: dict[str, Any], **words: Any) -> Vehicle:
    """A new vehicle with a layout that the core takes. **Raises** PermissionDenied, ValidationError."""
    demand(allowed=may_work(person))
    vehicle = Vehicle(fleet=fleet, layout=layout, **words)
    vehicle.full_clean()
    vehicle.save()
    return vehicle
