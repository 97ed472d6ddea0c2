"""What an electronic head sees: the head on a neighbouring wheel, against its own wheel's heading."""

from __future__ import annotations

import math
from collections.abc import Sequence

from alignment.model.formula import Formula, Input
from alignment.model.state import DEG, Ground, Layout
from alignment.model.vehicle import SIDES, side_sign
from alignment.readings.base import CLAMP, Field, SingleReading

Pair = tuple[float, float]
"""Along the vehicle (forward) and to the left."""


class _Head:
    """A head on its arm: ``arm_mm`` ahead of its wheel's centre in the wheel's level heading, ``out_mm`` outboard along its
    level spin axis.
    """

    def __init__(self, layout: Layout, axle: int, side: str, arm_mm: float, out_mm: float) -> None:
        self.sign, self.arm, self.out = side_sign(side), arm_mm, out_mm
        position, track = layout.position(axle).times(-1), layout.track(axle).times(self.sign / 2)
        self.x, self.y, self.unknown = position.known, track.known, (position.unknown, track.unknown)

    def at(self, toe: float, setback: float, offset: float, x: float, y: float) -> tuple[Pair, tuple[Pair, ...]]:
        """Where it stands, mm, and its slopes against its wheel's toe (radians), its axle's setback and its offset (mm), and
        what is unknown of where its wheel's centre is on the perfect vehicle (mm).
        """
        turned = self.sign * toe
        cos, sin = math.cos(turned), math.sin(turned)
        ahead = self.arm * cos + self.out * self.sign * sin
        left = -self.arm * sin + self.out * self.sign * cos
        place = self.x + x + self.sign * setback / 2 + ahead, self.y + y - offset + left
        turns = (self.sign * left, -self.sign * ahead)
        return place, (turns, (self.sign / 2, 0.0), (0.0, -1.0), (1.0, 0.0), (0.0, 1.0))


class Sight(SingleReading):
    """A wheel's own toe against the straight line from its head to the head on the wheel of ``to_axle`` on the same side, or,
    where that is its own axle, against the square of the line to the head on the opposite wheel.

    ``deg = toe - g·β``, g +1 left, -1 right; β is the bearing, clockwise from above, of the line along the side taken
    forward, or of the level perpendicular of the cross line taken forward. On raw clamps each head's wheel stands with its
    clamp's sine.
    """

    KIND = "sight"
    MEASURES = {"deg": "sight"}
    WALK = 45
    TITLE = "sight"
    UNIT = "deg"
    FIELD = "deg"
    TELLS_TOE = True
    FIELDS = (
        Field("side", "side"),
        Field("to_axle", "any axle"),
        Field("deg", "angle", measured=True),
        *(Field(name, "length", required=False) for name in ("arm_mm", "out_mm", "to_arm_mm", "to_out_mm")),
        CLAMP,
    )

    @property
    def across(self) -> bool:
        """Whether it looks at the opposite wheel of its own axle."""
        return bool(self.data["to_axle"] == self.axle)

    @property
    def seen(self) -> tuple[int, str]:
        """The wheel that it sees, by axle and side."""
        other = next(side for side in SIDES if side != self.side)
        return int(self.data["to_axle"]), other if self.across else self.side

    @property
    def clamps(self) -> tuple[tuple[int, str], ...]:
        return (self.axle, self.side), self.seen

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        wheels = ((self.axle, self.side), self.seen)
        sizes = [[float(self.data.get(f"{of}{name}_mm", 0.0)) for name in ("arm", "out")] for of in ("", "to_")]
        heads = [_Head(layout, *wheel, *size) for wheel, size in zip(wheels, sizes, strict=True)]
        # Along the side the line is taken from the rear head to the front one, across from the right to the left.
        ends = [layout.vehicle.axle(axle).position_mm for axle, _ in wheels]
        way = side_sign(self.side) if self.across else 1.0 if ends[0] < ends[1] else -1.0
        sign, across = side_sign(self.side), self.across

        def term(at: tuple[float, ...]) -> tuple[float, Sequence[float]]:
            (here, mine), (there, theirs) = heads[0].at(*at[:5]), heads[1].at(*at[5:])
            along, left = way * (here[0] - there[0]), way * (here[1] - there[1])
            bearing = math.atan2(along, left) if across else math.atan2(-left, along)
            squared = along * along + left * left or 1.0  # heads at one place see no line, and nothing turns it
            # Both bearings turn alike as the line does.
            slopes = [
                -sign * way * ends * (left * dx - along * dy) / squared
                for ends, of in ((1.0, mine), (-1.0, theirs))
                for dx, dy in of
            ]
            slopes[0] += 1.0
            return DEG * (at[0] - sign * bearing), [DEG * slope for slope in slopes]

        inputs = []
        for (axle, side), head in zip(wheels, heads, strict=True):
            offset = layout.offset(axle)
            inputs += [
                Input(layout.toe(axle, side, raw=self.raw)),
                Input(((1.0, layout.setback(axle)),)),
                Input(() if offset is None else ((1.0, offset),)),
                *(Input(unknown) for unknown in head.unknown),
            ]
        return (Formula().own(term, *inputs),)
