"""What can be turned, shifted or shimmed, as it is made: from its mechanics follow its effect and its words.

One file for each family. A new kind is one class in one of them; it is known here by its ``KIND``.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from alignment.adjust.hardware.arms import ArmShims, Cam, InsertPlate, ToeCam
from alignment.adjust.hardware.base import Hardware, HardwareError, How
from alignment.adjust.hardware.beams import CasterWedge, EccentricRod, PairedBush, SlottedSeat, SpringShims
from alignment.adjust.hardware.rods import DragLink, PanhardRod, RadiusRod, TieRod, TorqueRod, TrackRod
from alignment.model.vehicle import Vehicle

KINDS: dict[str, type[Hardware]] = {
    kind.KIND: kind
    for kind in (TieRod, TrackRod, DragLink, TorqueRod, RadiusRod, PanhardRod, CasterWedge, ArmShims, Cam, ToeCam, InsertPlate, SpringShims, SlottedSeat, EccentricRod, PairedBush)
}  # fmt: skip


def hardware_of(entries: Iterable[Mapping[str, Any]]) -> tuple[Hardware, ...]:
    """The adjusters that a layout lists. **Raises** HardwareError for an entry that is wrong, or two of one name."""
    found: dict[str, Hardware] = {}
    for entry in entries:
        kind = KINDS.get(entry.get("kind", ""))
        if kind is None:
            raise HardwareError(f"expected an adjuster of kind {', '.join(KINDS)}, got {entry.get('kind')}")
        made = kind.from_dict(entry)
        if made.id in found:
            raise HardwareError(f"{made.id} is listed twice; keep one of them")
        found[made.id] = made
    return tuple(found.values())


def check_on(vehicle: Vehicle, names: frozenset[str], hardware: Iterable[Hardware]) -> None:
    """**Raises** HardwareError for an adjuster that changes what this vehicle has not; ``names`` are its quantities."""
    for one in hardware:
        if not 1 <= one.axle <= len(vehicle.axles):
            raise HardwareError(f"{one.id}: the vehicle has axles 1 to {len(vehicle.axles)}")
        for path in one.adjuster().names:
            if path not in names:
                raise HardwareError(f"{one.id}: this vehicle has no {path}")


__all__ = ["KINDS", "Hardware", "HardwareError", "How", "check_on", "hardware_of"]
