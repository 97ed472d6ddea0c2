"""The unknowns of one phase: a vector with names.

Inside the core angles are radians and lengths millimetres. A reading's prediction is in the reading's own
unit (millimetres or degrees).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from alignment.model.formula import Argument, Length, Values
from alignment.model.rigs import Sighting, best_fit
from alignment.model.vehicle import SIDES, Datum, Vehicle, side_sign

DEG = 180.0 / math.pi
"""Degrees in a radian."""


class Ground(NamedTuple):
    """Tilt of the ground in radians, taken as exact: ``roll`` positive with the right side lower, ``pitch`` with the front
    lower. Ground that is known with a doubt is level here, and two unknowns of the layout.
    """

    roll: float = 0.0
    pitch: float = 0.0


LEVEL = Ground()


@dataclass(eq=False)
class Layout:
    """Which unknowns a vehicle and its readings have, and where each stands in the vector.

    Names are the results' own paths (``axles/1/bearing_deg``) for what is asked for, and paths of their own for
    what is only needed on the way (a clamp's error, the frame's line, the base length of a pair of scales).
    Where an unknown is zero by definition (the offset of an axle on the datum) its index is None. ``resting`` is where all
    of them stand on the perfect vehicle: at zero, but for what is measured of the vehicle and for the rigs that see it.
    """

    vehicle: Vehicle
    datum: Datum
    names: list[str] = field(default_factory=list)
    lengths: list[bool] = field(default_factory=list)
    _index: dict[str, int] = field(default_factory=dict)
    _entered: dict[int, float] = field(default_factory=dict)
    _sightings: dict[str, list[Sighting]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for axle in self.vehicle.axles:
            at = f"axles/{axle.number}"
            self.add(f"{at}/bearing_deg")
            self.add(f"{at}/total_toe_deg")
            if not self.datum.passes_through(axle.number):
                self.add(f"{at}/offset_mm", length=True)
            self.add(f"{at}/setback_mm", length=True)
            for side in SIDES:
                self.add(f"{at}/{side}/camber_deg")
                if axle.steers:
                    self.add(f"{at}/{side}/caster_deg")
                    self.add(f"{at}/{side}/sai_deg")

    def add(self, name: str, *, length: bool = False) -> int:
        """The index of the unknown of that name, which is made where it does not exist yet."""
        if name not in self._index:
            self._index[name] = len(self.names)
            self.names.append(name)
            self.lengths.append(length)
        return self._index[name]

    def find(self, name: str) -> int | None:
        """The index of an unknown, or None where there is none (or it is zero by definition)."""
        return self._index.get(name)

    def bearing(self, axle: int) -> int:
        return self._index[f"axles/{axle}/bearing_deg"]

    def total_toe(self, axle: int) -> int:
        return self._index[f"axles/{axle}/total_toe_deg"]

    def offset(self, axle: int) -> int | None:
        return self._index.get(f"axles/{axle}/offset_mm")

    def setback(self, axle: int) -> int:
        return self._index[f"axles/{axle}/setback_mm"]

    def camber(self, axle: int, side: str) -> int:
        return self._index[f"axles/{axle}/{side}/camber_deg"]

    def caster(self, axle: int, side: str) -> int:
        return self._index[f"axles/{axle}/{side}/caster_deg"]

    def sai(self, axle: int, side: str) -> int:
        return self._index[f"axles/{axle}/{side}/sai_deg"]

    def toe_out(self, axle: int, way: str) -> int:
        """Index of an axle's toe-out on turns, turning ``way`` (left or right)."""
        return self.add(f"axles/{axle}/toe_out_{way}_turn_deg")

    def lock(self, axle: int, side: str, way: str) -> int:
        """Index of how far a wheel turns to its stop, ``out`` or ``in``."""
        return self.add(f"axles/{axle}/{side}/lock_{way}_deg")

    def track(self, axle: int) -> Length:
        """An axle's track: as it was entered, or measured where a rig sees the axle."""
        return self._length(f"axles/{axle}/track_mm", self.vehicle.axle(axle).track_mm)

    def position(self, axle: int) -> Length:
        """How far an axle stands behind axle 1: as it was entered, or measured where a rig sees the axle."""
        return self._length(f"axles/{axle}/position_mm", self.vehicle.axle(axle).position_mm)

    def _length(self, name: str, entered: float) -> Length:
        index = self.find(name)
        return Length(entered) if index is None else Length(0.0, ((1.0, index),))

    def rig(self, name: str) -> tuple[int, int, int]:
        """Indices of the place of a rig, forward and to the left, and of its heading, anticlockwise from above."""
        at = f"rigs/{name}"
        return self.add(f"{at}/x_mm", length=True), self.add(f"{at}/y_mm", length=True), self.add(f"{at}/heading_deg")

    def sees(self, rig: str, axle: int, side: str, seen: tuple[float, float]) -> None:
        """Note where a rig saw a wheel's centre, forward and to the left of the rig: so the vehicle itself is measured."""
        self.rig(rig)
        one, sign = self.vehicle.axle(axle), side_sign(side)
        self._entered[self.add(f"axles/{axle}/track_mm", length=True)] = one.track_mm
        if axle > 1:
            self._entered[self.add(f"axles/{axle}/position_mm", length=True)] = one.position_mm
        self._sightings.setdefault(rig, []).append(Sighting(seen, (-one.position_mm, sign * one.track_mm / 2)))

    def resting(self) -> list[float]:
        """Every unknown on the perfect vehicle: rigs stand where it fits best to the centres that they saw."""
        x = [0.0] * len(self.names)
        for index, entered in self._entered.items():
            x[index] = entered
        for name, sightings in self._sightings.items():
            for index, value in zip(self.rig(name), best_fit(sightings), strict=True):
                x[index] = value
        return x

    def tread(self, axle: int) -> int:
        """Index of an axle's tread width, from tyre middle to tyre middle; it takes no part in the geometry."""
        return self.add(f"axles/{axle}/tread_mm", length=True)

    def stagger(self, axle: int) -> int:
        """Index of how much further it is round an axle's right tyre than round its left one."""
        return self.add(f"axles/{axle}/stagger_mm", length=True)

    def toe(self, axle: int, side: str, factor: float = 1.0, *, raw: bool = False) -> Argument:
        """A wheel's toe as a sum of unknowns, times ``factor``: half the total, and the bearing with its sign.

        ``raw`` is what a tool on the wheel's clamp sees of it, at roll 0: with the clamp's sine.
        """
        wheel = (factor / 2, self.total_toe(axle)), (factor * side_sign(side), self.bearing(axle))
        return (*wheel, (factor, self.clamp(axle, side)[1])) if raw else wheel

    def heading(self, axle: int, factor: float = 1.0, *, raw: bool = False) -> Argument:
        """An axle's bearing times ``factor``; ``raw`` as tools on its wheels' clamps see it."""
        if not raw:
            return ((factor, self.bearing(axle)),)
        clamps = ((side_sign(side) * factor / 2, self.clamp(axle, side)[1]) for side in SIDES)
        return (factor, self.bearing(axle)), *clamps

    def closing(self, axle: int, factor: float = 1.0, *, raw: bool = False) -> Argument:
        """An axle's total toe times ``factor``; ``raw`` as tools on its wheels' clamps see it."""
        clamps = ((factor, self.clamp(axle, side)[1]) for side in SIDES) if raw else ()
        return (factor, self.total_toe(axle)), *clamps

    def clamp(self, axle: int, side: str) -> tuple[int, int]:
        """Indices of the clamp's own error ``(ec, es)`` on a wheel."""
        at = f"axles/{axle}/{side}/clamp"
        return self.add(f"{at}/cosine_deg"), self.add(f"{at}/sine_deg")

    def zero(self, gauge: str) -> int:
        """Index of the zero of a gauge that reads against gravity."""
        return self.add(f"gauges/{gauge}/zero_deg")

    def tilt(self) -> tuple[int, int]:
        """Indices of the ground's roll and pitch, where it is known with a doubt."""
        return self.add("ground/roll_deg"), self.add("ground/pitch_deg")

    @property
    def tilts(self) -> bool:
        """Whether the ground's tilt is unknown."""
        return "ground/roll_deg" in self._index

    def frame(self) -> tuple[int | None, int | None]:
        """Indices of the frame's bearing and of its offset at axle 1; None where the frame lies along the datum."""
        if self.datum.kind != "axles":
            return None, None
        return self.add("frame/bearing_deg"), self.add("frame/offset_mm", length=True)

    def base(self, axle: int, mount: str) -> int:
        """Index of the base length that pairs of scales of one mount share."""
        return self.add(f"axles/{axle}/mounts/{mount}/base_mm", length=True)


class State:
    """One value for each unknown: ``x`` (n,), radians and millimetres, on a stated ground; the perfect vehicle by default."""

    def __init__(self, layout: Layout, x: Sequence[float] | None = None, ground: Ground = LEVEL) -> None:
        self.layout = layout
        self.x: Values = list(x) if x is not None else layout.resting()
        self.ground = ground

    @classmethod
    def from_values(cls, layout: Layout, values: Iterable[tuple[str, float]], ground: Ground = LEVEL) -> State:
        """A state from named values in degrees and millimetres; what is not named is as on the perfect vehicle.

        **Raises** KeyError for a name that is not an unknown of the layout.
        """
        state = cls(layout, ground=ground)
        for name, value in values:
            index = layout.find(name)
            if index is None:
                raise KeyError(f"{name} is not an unknown of this vehicle")
            state.x[index] = value if layout.lengths[index] else value / DEG
        return state

    def as_values(self) -> dict[str, float]:
        """Every unknown by name, in degrees and millimetres."""
        layout = self.layout
        rows = enumerate(zip(layout.names, layout.lengths, strict=True))
        return {name: self.x[index] if length else self.x[index] * DEG for index, (name, length) in rows}

    def toe(self, axle: int, side: str) -> float:
        """A wheel's own toe against the datum, radians, toe-in positive."""
        layout = self.layout
        return self.x[layout.total_toe(axle)] / 2 + side_sign(side) * self.x[layout.bearing(axle)]
