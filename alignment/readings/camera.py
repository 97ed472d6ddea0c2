"""What cameras make of a wheel: its centre and spin axis, and the axis that it steers about, in the frame of a rig or the datum's.

A rig stands anywhere: its place and heading are unknowns of the phase, and so are the track and the position of each axle
that it sees. x forward, y left, z up and square to the ground.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from random import Random
from typing import Any, ClassVar

from alignment.model.formula import Formula, Input, Length, Term
from alignment.model.rigid import steering_axis
from alignment.model.state import DEG, Ground, Layout, State
from alignment.model.vehicle import Vehicle, side_sign
from alignment.readings.base import Field, Observed, Reading

RIG = Field("rig", "text", required=False)
"""The rig in whose frame a reading is; the datum's own frame where there is none."""


_LEAST_UP = 1e-9
"""An axis that lies flatter counts as this steep: its slopes stay finite."""


class SeenByRig(Reading):
    """Base of the kinds that a rig may see. ``ROWS`` are the names of its rows, where one did."""

    UNIT = "deg"
    ROWS: ClassVar[tuple[str, ...]]
    SEEN = True

    @property
    def rows(self) -> tuple[str, ...]:
        return () if self.rig is None else self.ROWS

    @property
    def rig(self) -> str | None:
        """The rig that saw it, by name; None where it is in the datum's frame."""
        name = self.data.get(RIG.name)
        return None if name is None else str(name)

    def _scaled(self, name: str) -> tuple[float, float, float]:
        """A direction over its largest part, so that squares neither vanish nor overflow."""
        x, y, z = (float(part) for part in self.data[name])
        longest = max(abs(x), abs(y), abs(z))
        return x / longest, y / longest, z / longest

    def worked_in(self) -> tuple[object, ...]:
        if self.rig is None:
            return ()
        return tuple(tuple(self.data[field.name]) for field in self.FIELDS if field.what == "vector")


class WheelAxis(SeenByRig):
    """Centre and outboard spin axis of a wheel.

    In the datum's frame, from the datum line level with axle 1: ``x = -position ± s/2``, ``y = -o ± track/2`` (upper sign
    left); toe and camber are those of the axis. ``u_along_mm`` is the uncertainty of y, ``u_mm`` where it is absent;
    ``u_camber_deg`` that of the camber, ``u_deg`` where it is absent.

    In a rig's frame the centre gives two rows in the level plane: along the level spin axis as read, growing outboard, and
    square to it, growing forward; its toe is that against the rig.
    """

    KIND = "wheel_axis"
    WALK = 40
    TITLE = "wheel axis"
    ROWS = ("along", "square", "toe", "camber")
    FIELDS = (
        Field("side", "side"),
        RIG,
        Field("centre_mm", "vector", measured=True),
        Field("axis", "vector", measured=True, above_zero=True),
    )

    def __init__(self, data: Mapping[str, Any], along: tuple[float, float] | None = None) -> None:
        super().__init__(data)
        self._along = along

    @classmethod
    def u_keys(cls, data: Mapping[str, Any]) -> tuple[str, ...]:  # noqa: ARG003 - it always reads both
        return "u_mm", "u_along_mm", "u_deg", "u_camber_deg"

    @classmethod
    def resting(cls, vehicle: Vehicle, axle: int, side: str) -> dict[str, Any]:
        one, sign = vehicle.axle(axle), side_sign(side)
        return {"centre_mm": [-one.position_mm, sign * one.track_mm / 2, 0.0], "axis": [0.0, sign, 0.0]}

    def with_numbers(self, data: Mapping[str, Any]) -> WheelAxis:
        return WheelAxis(data, self._level_ways()[0])

    def declare(self, layout: Layout) -> None:
        if self.rig is not None:
            x, y, _ = self.data["centre_mm"]
            layout.sees(self.rig, self.axle, self.side, (float(x), float(y)))

    def _level_ways(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """The wheel's level spin axis as read, outboard, and what is square to it, forward: unit vectors, x and y."""
        if self._along is None:
            x, y, _ = self._scaled("axis")
            size = math.hypot(x, y)
            # An axis that stands straight up has no level direction: then any serves.
            self._along = (x / size, y / size) if size else (0.0, side_sign(self.side))
        (x, y), sign = self._along, side_sign(self.side)
        return (x, y), (sign * y, -sign * x)

    def observed(self) -> tuple[Observed, ...]:
        x, y, _ = self.data["centre_mm"]
        toe, camber = self._angles()
        u_along = float(self.data.get("u_along_mm", self.u_mm))
        angles = Observed(toe, self.u_deg), Observed(camber, float(self.data.get("u_camber_deg", self.u_deg)))
        if self.rig is None:
            return Observed(x, self.u_mm), Observed(y, u_along), *angles
        along, square = (way[0] * x + way[1] * y for way in self._level_ways())
        return Observed(along, u_along), Observed(square, self.u_mm), *angles

    def _angles(self) -> tuple[float, float]:
        """Toe and camber of the axis as read, degrees."""
        along, left, up = self._scaled("axis")
        return DEG * math.atan2(along, side_sign(self.side) * left), -DEG * math.atan2(up, math.hypot(along, left))

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - not against gravity
        sign = side_sign(self.side)
        position, track = layout.position(self.axle).times(-1), layout.track(self.axle).times(sign / 2)
        toe = Formula().plus(layout.toe(self.axle, self.side, DEG))
        camber = Formula().linear(DEG, layout.camber(self.axle, self.side))
        if self.rig is None:
            return (
                Formula().length(1, position).linear(sign / 2, layout.setback(self.axle)),
                Formula().length(1, track).linear(-1, layout.offset(self.axle)),
                toe,
                camber,
            )
        x, y, heading = layout.rig(self.rig)
        offset = layout.offset(self.axle)
        ahead = position.plus(Length(0.0, ((sign / 2, layout.setback(self.axle)), (-1.0, x))))
        left = track.plus(Length(0.0, (*(() if offset is None else ((-1.0, offset),)), (-1.0, y))))
        takes = Input(((1.0, heading),)), Input(ahead.unknown), Input(left.unknown)
        places = [Formula().own(_part(way, ahead.known, left.known), *takes) for way in self._level_ways()]
        return (*places, toe.linear(sign * DEG, heading), camber)

    def blurred(self, name: str, value: Any, rng: Random) -> Any:  # noqa: ARG002 - place and axis are read together
        return self.showing([one.value + rng.gauss(0.0, one.u) for one in self.observed()])[name]

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        x, y, toe, camber = predicted[0], predicted[1], predicted[2] / DEG, predicted[3] / DEG
        if self.rig is not None:
            along, square = self._level_ways()
            x, y = (predicted[0] * along[part] + predicted[1] * square[part] for part in (0, 1))
        size = math.sqrt(sum(part * part for part in self._scaled("axis"))) * max(map(abs, self.data["axis"]))
        level = size * math.cos(camber)
        sideways = side_sign(self.side) * level * math.cos(toe)
        return {
            "centre_mm": [x, y, self.data["centre_mm"][2]],
            "axis": [level * math.sin(toe), sideways, -size * math.sin(camber)],
        }


def _part(way: tuple[float, float], ahead: float, left: float) -> Term:
    """The part along ``way``, a level direction of the rig's frame, of what lies ``ahead`` and to the ``left`` of the rig."""

    def term(at: tuple[float, ...]) -> tuple[float, Sequence[float]]:
        heading, x, y = at[0], ahead + at[1], left + at[2]
        cos, sin = math.cos(heading), math.sin(heading)
        # The way in the datum's frame, and how it turns with the rig.
        along, across = cos * way[0] - sin * way[1], sin * way[0] + cos * way[1]
        return along * x + across * y, (-across * x + along * y, along, across)

    return term


class SteerAxis(SeenByRig):
    """The axis that a wheel steers about, upward, against the ground: its slope rearward is the caster, its slope inboard the
    SAI, both against the datum line. ``u_sai_deg`` is the uncertainty of the SAI, ``u_deg`` where it is absent.
    """

    KIND = "steer_axis"
    WALK = 75
    TITLE = "steering axis"
    ROWS = ("caster", "sai")
    STEERS = True
    FIELDS = (Field("side", "side"), RIG, Field("axis", "vector", measured=True, above_zero=True))

    @classmethod
    def u_keys(cls, data: Mapping[str, Any]) -> tuple[str, ...]:  # noqa: ARG003 - it always reads both
        return "u_deg", "u_sai_deg"

    @classmethod
    def resting(cls, vehicle: Vehicle, axle: int, side: str) -> dict[str, Any]:  # noqa: ARG003 - upright on all
        return {"axis": [0.0, 0.0, 1.0]}

    def declare(self, layout: Layout) -> None:
        if self.rig is not None:
            layout.rig(self.rig)

    def _slopes(self, heading: float = 0.0) -> tuple[float, float]:
        """Forward and inboard over up, where the rig's own x lies ``heading`` anticlockwise of the datum line."""
        x, y, up = self._scaled("axis")
        cos, sin, up = math.cos(heading), math.sin(heading), max(up, _LEAST_UP)
        return (cos * x - sin * y) / up, -side_sign(self.side) * (sin * x + cos * y) / up

    def observed(self) -> tuple[Observed, ...]:
        forward, inboard = self._slopes()
        u_sai = float(self.data.get("u_sai_deg", self.u_deg))
        return Observed(-DEG * math.atan(forward), self.u_deg), Observed(DEG * math.atan(inboard), u_sai)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - not against gravity
        caster = Formula().linear(DEG, layout.caster(self.axle, self.side))
        sai = Formula().linear(DEG, layout.sai(self.axle, self.side))
        if self.rig is None:
            return caster, sai
        heading = Input(((1.0, layout.rig(self.rig)[2]),))
        sign = side_sign(self.side)
        rearward, inboard = -math.atan(self._slopes()[0]), math.atan(self._slopes()[1])

        # The same axis is seen at other angles where the rig is turned: what it adds to the vehicle's own.
        def added_to_caster(at: tuple[float, ...]) -> tuple[float, Sequence[float]]:
            forward, inward = self._slopes(at[0])
            return DEG * (rearward + math.atan(forward)), (DEG * sign * inward / (1 + forward * forward),)

        def added_to_sai(at: tuple[float, ...]) -> tuple[float, Sequence[float]]:
            forward, inward = self._slopes(at[0])
            return DEG * (inboard - math.atan(inward)), (DEG * sign * forward / (1 + inward * inward),)

        return caster.own(added_to_caster, heading), sai.own(added_to_sai, heading)

    def shown(self, state: State) -> dict[str, Any]:
        layout, heading = state.layout, 0.0
        if self.rig is not None:
            heading = state.x[layout.rig(self.rig)[2]]
        caster, sai = (state.x[find(self.axle, self.side)] for find in (layout.caster, layout.sai))
        return self._seen(*steering_axis(caster, sai, side_sign(self.side))[0], heading)

    def blurred(self, name: str, value: Any, rng: Random) -> Any:  # noqa: ARG002 - the axis is all that it reads
        return self.showing([one.value + rng.gauss(0.0, one.u) for one in self.observed()])[name]

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        return self._seen(*steering_axis(predicted[0] / DEG, predicted[1] / DEG, side_sign(self.side))[0])

    def _seen(self, x: float, y: float, up: float, heading: float = 0.0) -> dict[str, Any]:
        cos, sin = math.cos(heading), math.sin(heading)
        return {"axis": [cos * x + sin * y, cos * y - sin * x, up]}


class RigCovariance(Reading):
    """How the rows of one rig's readings are known together: they are weighted by it and not by their own uncertainties.

    ``of`` are the readings whose rows it names, in the order of ``named``, each with the row's name; bound when the file is
    read. Where a reading is left out, the others stay known as they were together.
    """

    KIND = "rig"
    TITLE = "covariance of a rig"
    UNIT = "none"
    ON_AXLE = False
    SHOWN = False
    SEEN = True
    FIELDS = (Field("rig", "text"), Field("rows", "rows"), Field("covariance", "matrix"))

    def __init__(self, data: Mapping[str, Any]) -> None:
        super().__init__(data)
        self.of: tuple[tuple[Reading, str], ...] = ()

    def structure(self) -> tuple[object, ...]:
        return (self.KIND,)

    def observed(self) -> tuple[Observed, ...]:
        return ()

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - it is no row
        return ()

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:  # noqa: ARG002 - no scale shows it
        return {}

    def title(self) -> str:
        return f"{self.TITLE} {self.data['rig']}"
