"""Two heads hung on each other's wheels of one side: a front head on a rear wheel, and the rear one in its place.

Their arms then point the wrong way, so that the beams across slant by half a metre and more, and what looks along the side
looks away from the vehicle and sees nothing. Taken for what they are, the readings agree again.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import NamedTuple

from alignment.estimate.solve import Solution, solve
from alignment.model.vehicle import axle_name
from alignment.readings.base import Reading
from alignment.readings.sights import Sight
from alignment.speech import side_name

Wheel = tuple[int, str]
_GAIN = 0.25
"""Exchanged, the wheels must leave no more than this share of the misfit: chance rarely does it."""


class Swapped(NamedTuple):
    """Two wheels whose heads are on each other's, and what the misfit is as read and with them exchanged."""

    wheels: tuple[Wheel, Wheel]
    misfit: float
    exchanged: float

    def say(self, solution: Solution) -> str:
        """What to do about it."""
        vehicle = solution.layout.vehicle
        first, second = (f"{side_name(side)} {axle_name(vehicle, axle)}" for axle, side in self.wheels)
        return (
            f"The heads of the {first} and of the {second} wheel look as if each hung on the other's wheel: exchanged, all readings agree. "
            "Look at their marks, hang them right, and read again."
        )


def swapped_heads(solution: Solution) -> Swapped | None:
    """The two heads that were exchanged, where the readings do not agree and would with them exchanged; None otherwise."""
    if solution.consistent:
        return None
    wheels = sorted({(r.axle, r.side) for r in solution.readings if isinstance(r, Sight)})
    layout, best = solution.layout, None
    for one, other in itertools.combinations(wheels, 2):
        if one[1] != other[1] or _seen_along(solution.readings, one, other):
            continue
        tried = solve(layout.vehicle, layout.datum, as_hung(solution.readings, one, other))
        if tried.consistent and (best is None or tried.chi_square < best.exchanged):
            best = Swapped((one, other), solution.chi_square, tried.chi_square)
    return best if best is not None and best.exchanged < _GAIN * best.misfit else None


def _seen_along(readings: Sequence[Reading], *wheels: Wheel) -> bool:
    """Whether a head of these wheels saw another along the side, or was seen: then it hangs where it belongs."""
    along = (r for r in readings if isinstance(r, Sight) and not r.across)
    return any((r.axle, r.side) in wheels or r.seen in wheels for r in along)


def reads_nothing(reading: Reading, one: Wheel, other: Wheel) -> bool:
    """Whether a reading is lost where the heads of two wheels hang on each other's: sights along that side, and their sweeps."""
    swap, label = (one, other), (reading.axle, reading.side)
    if isinstance(reading, Sight):
        return not reading.across and (label in swap or reading.seen in swap)
    return reading.STEERS and label in swap


def as_hung(readings: Sequence[Reading], one: Wheel, other: Wheel) -> list[Reading]:
    """What the readings are of where the heads of two wheels hang on each other's; those that then see nothing are left out."""
    swap = {one: other, other: one}
    arms = {
        (r.axle, r.side): (r.data.get("arm_mm", 0.0), r.data.get("out_mm", 0.0))
        for r in readings
        if isinstance(r, Sight)
    }
    found = []
    for reading in readings:
        label = (reading.axle, reading.side)
        axle, side = swap.get(label, label)
        if reads_nothing(reading, one, other):
            continue
        if not isinstance(reading, Sight):
            moved = label in swap and (reading.on_clamp() or reading.KIND in _ON_THE_WHEEL)
            found.append(type(reading)({**reading.data, "axle": axle, "side": side}) if moved else reading)
            continue
        seen = (axle, _OPPOSITE[side]) if reading.across else reading.seen
        # What hangs where it looks is the head that was taken there.
        arm, out = arms.get(
            swap.get(seen, seen), (reading.data.get("to_arm_mm", 0.0), reading.data.get("to_out_mm", 0.0))
        )
        to = axle if reading.across else reading.data["to_axle"]
        found.append(
            Sight({**reading.data, "axle": axle, "side": side, "to_axle": to, "to_arm_mm": arm, "to_out_mm": out})
        )
    return found


_ON_THE_WHEEL = ("runout", "clamp")
_OPPOSITE = {"left": "right", "right": "left"}
