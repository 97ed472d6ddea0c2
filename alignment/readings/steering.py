"""Readings of the steering axis: caster and inclination from a tool, by swinging the wheel, and toe-out on turns."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from alignment import gravity
from alignment.formula import Formula, Slopes, Term, Values
from alignment.readings.base import SQRT2, Assumed, Field, Observed, Reading, SingleReading
from alignment.rigid import Vector, cross, dot, forward, spin_axis, steering_axis, turn, up_on, whirl
from alignment.state import DEG, Ground, Layout
from alignment.vehicle import SIDES, side_sign

ASSUMED_SAI_DEG = 12.0
ASSUMED_SAI_U_DEG = 3.0
"""Inclination where a swing needs it and nothing gives it (the job file's contract)."""

_LEAST_TURN = 1e-9
"""An axis that turns a wheel less than this for a radian about itself cannot bring it to a heading."""


class Caster(SingleReading):
    """Caster against gravity, from a tool that gives it."""

    KIND = "caster"
    TITLE = "caster"
    UNIT = "deg"
    FIELD = "deg"
    STEERS = True
    FIELDS = (Field("side", "side"), Field("deg", "angle", measured=True))

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        return (gravity.steering(layout, ground, self.axle, self.side, self.KIND),)


class Sai(Caster):
    """Steering axis inclination against gravity, from a tool that gives it."""

    KIND = "sai"
    TITLE = "steering axis inclination"


Heights = tuple[tuple[float, list[float]], tuple[float, list[float]]]
"""What turned ends rise by, out less in, in degrees: the spin axis and the forward direction, each with its slopes."""


class _SwungWheel:
    """One wheel at rest, turned rigidly about its steering axis until its spin axis has a given level heading.

    ``unknowns`` are the indices of caster, inclination, camber, total toe and bearing; slopes are in that order.
    """

    def __init__(self, layout: Layout, reading: Swing, ground: Ground) -> None:
        axle, side = reading.axle, reading.side
        self.sign, self.up = side_sign(side), up_on(ground.roll, ground.pitch)
        self.turns = reading.number("out_deg") / DEG, -reading.number("in_deg") / DEG
        self.unknowns = (layout.caster(axle, side), layout.sai(axle, side), layout.camber(axle, side),
                         layout.total_toe(axle), layout.bearing(axle))  # fmt: skip
        self._last: tuple[tuple[float, ...], Heights] | None = None

    def heights(self, x: Values) -> Heights:
        """How much higher each end stands turned out than turned in. Both rows of a swing ask for the same state."""
        key = tuple([x[index] for index in self.unknowns])
        last = self._last
        if last is None or last[0] != key:
            ends = self._end(key, self.turns[0]), self._end(key, self.turns[1])
            spin, ahead = (
                (out[0] - into[0], [a - b for a, b in zip(out[1], into[1], strict=True)])
                for out, into in zip(*ends, strict=True)
            )
            self._last = last = key, (spin, ahead)
        return last[1]

    def _end(self, at: tuple[float, ...], outward: float) -> Heights:
        """Heights in degrees of the spin axis and of the forward direction after the turn, with their slopes."""
        sign, up = self.sign, self.up
        caster, sai, camber, total, bearing = at
        toe = total / 2 + sign * bearing
        axis, by_caster, by_sai = steering_axis(caster, sai, sign)
        spin, spin_by_camber, spin_by_toe = spin_axis(camber, toe, sign)
        ahead, ahead_by_toe = forward(toe, sign)
        wanted = toe - outward
        # The level direction square to the wanted heading: the turned spin axis has nothing along it.
        square, square_by_toe = forward(wanted, sign)
        angle = _angle_to(spin, axis, square, (math.sin(wanted), sign * math.cos(wanted), 0.0))
        spin, ahead = turn(spin, axis, angle), turn(ahead, axis, angle)
        spin_by_camber, spin_by_toe = turn(spin_by_camber, axis, angle), turn(spin_by_toe, axis, angle)
        whirls = whirl(axis, by_caster, angle), whirl(axis, by_sai, angle)
        # The angle follows from the heading: each unknown's effect on the condition is taken back by the angle.
        lever = cross(spin, square)
        by_angle = dot(axis, lever)
        by_angle = math.copysign(max(abs(by_angle), _LEAST_TURN), by_angle)
        misses = [dot(whirls[0], lever), dot(whirls[1], lever), dot(spin_by_camber, square),
                  dot(spin_by_toe, square) + dot(spin, square_by_toe)]  # fmt: skip
        angles = [-miss / by_angle for miss in misses]
        found = []
        for body, own in (
            (spin, (dot(spin_by_camber, up), dot(spin_by_toe, up))),
            (ahead, (0.0, dot(turn(ahead_by_toe, axis, angle), up))),
        ):
            value, slope = gravity.dip(body, up)
            arm = cross(body, up)
            rate = dot(axis, arm)
            moves = (dot(whirls[0], arm), dot(whirls[1], arm), *own)
            rises = [-slope * (move + by * rate) for move, by in zip(moves, angles, strict=True)]
            found.append((-value, [*rises[:3], rises[3] / 2, rises[3] * sign]))
        return found[0], found[1]


def _angle_to(spin: Vector, axis: Vector, square: Vector, heading: Vector) -> float:
    """The turn about the axis after which the spin axis has nothing along ``square`` and points along ``heading``.

    Where no turn does that (an axis that lies almost level) the nearest is taken.
    """
    still = dot(axis, spin) * dot(axis, square)
    cosine, sine = dot(spin, square) - still, dot(cross(axis, spin), square)
    size = math.hypot(cosine, sine)
    if size < _LEAST_TURN:
        return 0.0
    middle, half = math.atan2(sine, cosine), math.acos(max(-1.0, min(1.0, -still / size)))
    one, other = middle + half, middle - half
    if dot(turn(spin, axis, one), heading) > dot(turn(spin, axis, other), heading):
        return one
    return other


class Swing(Reading):
    """Camber (and pitch) read with the wheel turned out and turned in; only the differences count.

    The wheel turns rigidly about its steering axis, from rest, until the level heading of its spin axis has turned by
    ``out_deg`` and ``in_deg``; the turn lies in the plane of the ground, the gauges hang from gravity. The rows
    determine only caster and inclination: toe and camber come from the other readings.
    """

    KIND = "swing"
    TITLE = "swing"
    UNIT = "deg"
    STEERS = True
    FIELDS = (
        Field("side", "side"),
        Field("out_deg", "angle", above_zero=True),
        Field("in_deg", "angle", above_zero=True),
        Field("camber_out_deg", "angle", measured=True),
        Field("camber_in_deg", "angle", measured=True),
        Field("pitch_out_deg", "angle", required=False, measured=True),
        Field("pitch_in_deg", "angle", required=False, measured=True),
    )
    TOGETHER = (("pitch_out_deg", "pitch_in_deg"),)

    @property
    def _gauges(self) -> tuple[str, ...]:
        return ("camber", "pitch") if "pitch_out_deg" in self.data else ("camber",)

    def determines(self, layout: Layout) -> frozenset[int] | None:
        return frozenset((layout.caster(self.axle, self.side), layout.sai(self.axle, self.side)))

    def assumes(self, layout: Layout) -> tuple[Assumed, ...]:
        return (Assumed(layout.sai(self.axle, self.side), ASSUMED_SAI_DEG / DEG, ASSUMED_SAI_U_DEG / DEG),)

    def observed(self) -> tuple[Observed, ...]:
        differences = (self.number(f"{gauge}_out_deg") - self.number(f"{gauge}_in_deg") for gauge in self._gauges)
        return tuple(Observed(difference, self.u * SQRT2) for difference in differences)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        wheel = _SwungWheel(layout, self, ground)
        return tuple(Formula().own(_difference(wheel, gauge), wheel.unknowns) for gauge in self._gauges)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        shown: dict[str, Any] = {}
        for gauge, difference in zip(self._gauges, predicted, strict=True):
            mean = (self.number(f"{gauge}_out_deg") + self.number(f"{gauge}_in_deg")) / 2
            shown |= {f"{gauge}_out_deg": mean + difference / 2, f"{gauge}_in_deg": mean - difference / 2}
        return shown


def _difference(wheel: _SwungWheel, gauge: str) -> Term:
    """What a gauge shows turned out less what it shows turned in, degrees: camber by dip, pitch by rise."""

    def term(x: Values) -> tuple[float, Slopes]:
        spin, ahead = wheel.heights(x)
        value, slopes = spin if gauge == "camber" else ahead
        sign = -1.0 if gauge == "camber" else 1.0
        return sign * value, [(i, sign * slope) for i, slope in zip(wheel.unknowns, slopes, strict=True)]

    return term


class Turn(Reading):
    """Toe-out on turns: ``inner - outer`` for each way; the three angles are numbers read off the turntables."""

    KIND = "turn"
    TITLE = "turning angles"
    PLURAL = True
    UNIT = "deg"
    STEERS = True
    FIELDS = (
        Field("inner_deg", "angle", measured=True),
        Field("outer_left_turn_deg", "angle", measured=True),
        Field("outer_right_turn_deg", "angle", measured=True),
    )

    def declare(self, layout: Layout) -> None:
        for way in SIDES:
            layout.toe_out(self.axle, way)

    def observed(self) -> tuple[Observed, ...]:
        inner, u = self.number("inner_deg"), self.u * SQRT2
        return tuple(Observed(inner - self.number(f"outer_{way}_turn_deg"), u) for way in SIDES)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return tuple(Formula().linear(DEG, layout.toe_out(self.axle, way)) for way in SIDES)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        inner = self.number("inner_deg")
        outer = {f"outer_{way}_turn_deg": inner - out for way, out in zip(SIDES, predicted, strict=True)}
        return {"inner_deg": inner, **outer}
