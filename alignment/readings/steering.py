"""Readings of the steering axis: caster and inclination from a tool, by swinging the wheel, and toe-out on turns."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

from alignment import gravity
from alignment.formula import Formula, Slopes, Values
from alignment.readings.base import SQRT2, Assumed, Field, Observed, Reading, SingleReading
from alignment.rigid import Vector, combine, cross, dot, forward, spin_axis, steering_axis, turn, turn_by_axis, up_on
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


class _Wheel:
    """One wheel at rest, turned rigidly about its steering axis until its spin axis has a given level heading.

    ``unknowns`` are the indices of caster, inclination, camber, total toe and bearing; slopes are in that order.
    """

    def __init__(self, layout: Layout, axle: int, side: str) -> None:
        self.sign = side_sign(side)
        self.unknowns = (layout.caster(axle, side), layout.sai(axle, side), layout.camber(axle, side),
                         layout.total_toe(axle), layout.bearing(axle))  # fmt: skip

    def turned(self, x: Values, outward: float, *, pointer: bool) -> tuple[Vector, tuple[Vector, ...]]:
        """The spin axis (or with ``pointer`` the wheel's forward direction) after the turn, and its five slopes.

        ``outward`` is by how many radians the heading turns toe-out, negative for toe-in.
        """
        caster, sai, camber, total, bearing = (x[index] for index in self.unknowns)
        toe = total / 2 + self.sign * bearing
        axis, *axis_by = steering_axis(caster, sai, self.sign)
        spin, spin_by_camber, spin_by_toe = spin_axis(camber, toe, self.sign)
        wanted = toe - outward
        # The level direction square to the wanted heading: the turned spin axis has nothing along it.
        square = (math.cos(wanted), -self.sign * math.sin(wanted), 0.0)
        square_by_toe = (-math.sin(wanted), -self.sign * math.cos(wanted), 0.0)
        angle = _angle_to(spin, axis, square, (math.sin(wanted), self.sign * math.cos(wanted), 0.0))
        after = turn(spin, axis, angle)
        by_angle = dot(cross(axis, after), square)
        by_angle = math.copysign(max(abs(by_angle), _LEAST_TURN), by_angle)
        spin_moves = (
            *(turn_by_axis(spin, axis, by, angle) for by in axis_by),
            turn(spin_by_camber, axis, angle),
            turn(spin_by_toe, axis, angle),
        )
        # The angle follows from the heading: (∂/∂p + ∂angle/∂p · ∂/∂angle) of the condition above is zero.
        angle_by = [-dot(moves, square) / by_angle for moves in spin_moves]
        angle_by[3] -= dot(after, square_by_toe) / by_angle
        body, moves = after, spin_moves
        if pointer:
            ahead, ahead_by_toe = forward(toe, self.sign)
            body = turn(ahead, axis, angle)
            by_axis = tuple(turn_by_axis(ahead, axis, by, angle) for by in axis_by)
            moves = (*by_axis, (0.0, 0.0, 0.0), turn(ahead_by_toe, axis, angle))
        swung = cross(axis, body)
        slopes = [combine((1.0, own), (by, swung)) for own, by in zip(moves, angle_by, strict=True)]
        return body, (*slopes[:3], combine((0.5, slopes[3])), combine((self.sign, slopes[3])))


def _angle_to(spin: Vector, axis: Vector, square: Vector, heading: Vector) -> float:
    """The turn about the axis after which the spin axis has nothing along ``square`` and points along ``heading``.

    Where no turn does that (an axis that lies almost level) the nearest is taken.
    """
    fixed = combine((dot(axis, spin), axis))
    still = dot(fixed, square)
    cosine, sine = dot(spin, square) - still, dot(cross(axis, spin), square)
    size = math.hypot(cosine, sine)
    if size < _LEAST_TURN:
        return 0.0
    middle, half = math.atan2(sine, cosine), math.acos(max(-1.0, min(1.0, -still / size)))
    angles = (middle + half, middle - half)
    return max(angles, key=lambda angle: dot(turn(spin, axis, angle), heading))


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
        wheel, up = _Wheel(layout, self.axle, self.side), up_on(ground.roll, ground.pitch)
        turns = self.number("out_deg") / DEG, self.number("in_deg") / DEG
        return tuple(
            Formula().own(_difference(wheel, up, *turns, pointer=gauge == "pitch"), wheel.unknowns)
            for gauge in self._gauges
        )

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        shown: dict[str, Any] = {}
        for gauge, difference in zip(self._gauges, predicted, strict=True):
            mean = (self.number(f"{gauge}_out_deg") + self.number(f"{gauge}_in_deg")) / 2
            shown |= {f"{gauge}_out_deg": mean + difference / 2, f"{gauge}_in_deg": mean - difference / 2}
        return shown


def _difference(
    wheel: _Wheel, up: Vector, outward: float, inward: float, *, pointer: bool
) -> Callable[[Values], tuple[float, Slopes]]:
    """What a gauge shows turned out less what it shows turned in, degrees: camber by dip, pitch by rise."""
    rises = -1.0 if pointer else 1.0

    def term(x: Values) -> tuple[float, Slopes]:
        value, slopes = 0.0, [0.0] * 5
        for end, angle in ((rises, outward), (-rises, -inward)):
            body, moves = wheel.turned(x, angle, pointer=pointer)
            dips, by_height = gravity.dip(body, up)
            value += end * dips
            slopes = [slope + end * by_height * dot(move, up) for slope, move in zip(slopes, moves, strict=True)]
        return value, tuple(zip(wheel.unknowns, slopes, strict=True))

    return term


class Turn(Reading):
    """Toe-out on turns: ``inner - outer`` for each way; the three angles are numbers read off the turntables."""

    KIND = "turn"
    TITLE = "turning angles"
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
