"""Choosing the specification for a vehicle."""

from rectaxis.fleets.models import Vehicle
from rectaxis.specs.models import Specification


def specification_for(vehicle: Vehicle) -> Specification | None:
    """The library's specification for the vehicle's make and model, or None: then nothing is judged."""
    if not vehicle.make:
        return None
    return Specification.objects.filter(make=vehicle.make, model=vehicle.model).first()
