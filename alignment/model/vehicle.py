"""What stands in the yard: axles, the vehicle they make, and the line angles are given against.

Lengths are millimetres. Axles are numbered from the front, from 1; positions are distances behind axle 1.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import NamedTuple

ROLES = ("steer", "drive", "dead", "lift", "trailer")
SIDES = ("left", "right")


def side_sign(side: str) -> float:
    """+1 for the left wheel, -1 for the right: a bearing adds to left toe and takes from right toe."""
    return 1.0 if side == "left" else -1.0


class Axle(NamedTuple):
    """One axle. ``track_mm`` is measured between the wheels that carry the tools; ``raised`` is off the ground."""

    number: int
    role: str
    position_mm: float
    track_mm: float
    rigid: bool = False
    steers: bool = False
    raised: bool = False


@dataclass(frozen=True)
class Vehicle:
    """A vehicle's layout, taken as exact.

    ``thrust_axle`` is the axle that steers the rear, or None where there is none (one axle, or all steer).
    ``kingpin_mm`` is the position of a trailer's king pin or drawbar eye, negative, or None.
    """

    axles: tuple[Axle, ...]
    thrust_axle: int | None = None
    kingpin_mm: float | None = None

    def axle(self, number: int) -> Axle:
        """The axle of that number. **Raises** IndexError where the vehicle has none such."""
        if not 1 <= number <= len(self.axles):
            raise IndexError(f"axle {number}: the vehicle has axles 1 to {len(self.axles)}")
        return self.axles[number - 1]

    @property
    def first_steered(self) -> Axle | None:
        """The first axle that steers, or None."""
        return next((axle for axle in self.axles if axle.steers), None)

    @property
    def group(self) -> tuple[int, ...]:
        """The axles on the ground that do not steer, where there are several: the vehicle runs as their mean does."""
        fixed = tuple(axle.number for axle in self.axles if not axle.steers and not axle.raised)
        return fixed if len(fixed) > 1 else ()

    def steers_against(self, number: int) -> bool:
        """Whether an axle's wheels turn against the steering wheel: those behind the middle of the axles that do not
        steer, or, where all steer, behind the middle of the vehicle.
        """
        fixed = [axle for axle in self.axles if not axle.steers] or self.axles
        middle = (fixed[0].position_mm + fixed[-1].position_mm) / 2
        return self.axle(number).steers and self.axle(number).position_mm > middle

    @property
    def fixed_pairs(self) -> tuple[tuple[int, int], ...]:
        """Neighbouring axles that both do not steer: the pairs that can scrub."""
        return self._neighbours(steers=False)

    @property
    def steered_pairs(self) -> tuple[tuple[int, int], ...]:
        """Neighbouring axles that both steer: the pairs that should be parallel."""
        return self._neighbours(steers=True)

    def _neighbours(self, *, steers: bool) -> tuple[tuple[int, int], ...]:
        pairs = itertools.pairwise(self.axles)
        return tuple((a.number, b.number) for a, b in pairs if a.steers == b.steers == steers)


def default_thrust_axle(axles: tuple[Axle, ...]) -> int | None:
    """The axle that steers the rear when none is named.

    The last of two; otherwise the first that drives, or the first that does not steer where none drives; axles off the
    ground are passed over. None for a single axle, where all axles steer, or where none of them stands on the ground.
    """
    if not may_have_thrust_axle(axles):
        return None
    if len(axles) == 2:  # noqa: PLR2004 - two axles are front and rear
        return 2
    down = [axle for axle in axles if not axle.raised]
    driving = [axle.number for axle in down if axle.role == "drive"]
    fixed = [axle.number for axle in down if not axle.steers]
    return next(iter(driving or fixed), None)


def may_have_thrust_axle(axles: tuple[Axle, ...]) -> bool:
    """Whether a thrust line means anything on these axles."""
    return len(axles) > 1 and not all(axle.steers for axle in axles)


class Datum(NamedTuple):
    """The line that bearings and offsets are given against.

    kind ``axles``: through the middles of axles ``front`` and ``rear``. ``frame``: the frame's centre line.
    ``kingpin``: through the king pin and the middle of axle ``rear``.
    """

    kind: str
    front: int | None = None
    rear: int | None = None

    def passes_through(self, axle: int) -> bool:
        """Whether the axle's offset is zero by this datum's definition."""
        return axle in (self.front, self.rear)


def default_datum(vehicle: Vehicle) -> Datum:
    """Axle 1 and the thrust axle (or the last); the frame where there is one axle only."""
    if len(vehicle.axles) == 1:
        return Datum("frame")
    rear = vehicle.thrust_axle
    return Datum("axles", 1, rear if rear not in (None, 1) else len(vehicle.axles))


def axle_name(vehicle: Vehicle, number: int) -> str:
    """``front`` and ``rear`` on two axles, ``axle 3`` otherwise."""
    if len(vehicle.axles) == 2:  # noqa: PLR2004 - two axles have everyday names
        return ("front", "rear")[number - 1]
    return f"axle {number}"


def the_axle(vehicle: Vehicle, number: int) -> str:
    """An axle within a sentence: "the rear", "axle 3"."""
    name = axle_name(vehicle, number)
    return name if name.startswith("axle") else f"the {name}"


def axle_title(vehicle: Vehicle, number: int) -> str:
    """An axle's name as a heading: "Front axle", "Axle 3"."""
    name = axle_name(vehicle, number).capitalize()
    return name if name.startswith("Axle") else f"{name} axle"
