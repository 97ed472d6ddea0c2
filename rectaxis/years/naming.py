"""What vehicles are called by what they have in common."""

from __future__ import annotations

from alignment.patterns import patterns
from rectaxis.fleets.models import Vehicle


def axles_of(vehicle: Vehicle) -> str:
    """What its pattern of axles is called; how many axles it has where it has none."""
    pattern = patterns().get(str(vehicle.layout.get("pattern", "")))
    return pattern.title if pattern else f"{len(vehicle.layout['vehicle']['axles'])} axles"


def model_of(vehicle: Vehicle) -> str:
    """Make and model as one."""
    return f"{vehicle.make} {vehicle.model}".strip()
