"""Readings of the steering axis: caster and inclination from a tool, by swinging the wheel, and toe-out on turns."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from alignment.model import gravity
from alignment.model.formula import Alone, Formula, Input, Term
from alignment.model.rigid import up_moves, up_on
from alignment.model.state import DEG, Ground, Layout
from alignment.model.swinging import Askew, AtRest, Rise, angle_above, angle_of
from alignment.model.vehicle import SIDES, side_sign
from alignment.readings.base import CLAMP, SQRT2, Assumed, Field, Observed, Reading, SingleReading

ENDS = ("out", "in")
"""Which way a wheel is steered: to its own side, which toes it out, and to the other."""
ASSUMED_SAI_DEG = 12.0
ASSUMED_SAI_U_DEG = 3.0
"""Inclination where a swing needs it and nothing gives it (the job file's contract)."""


class Caster(SingleReading):
    """Caster against gravity, from a tool that gives it."""

    KIND = "caster"
    WALK = 60
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
    WALK = 70
    TITLE = "steering axis inclination"


class Swing(Reading):
    """Camber (and pitch) read with the wheel turned out and turned in; only the differences count.

    The wheel turns rigidly about its steering axis, from rest, until the level heading of its spin axis has turned by
    ``out_deg`` and ``in_deg``; the turn lies in the plane of the ground, the gauges hang from gravity. The rows
    determine only caster and inclination: toe and camber come from the other readings. On a ``raw`` clamp the gauge's axis
    rests at the wheel's toe and camber with the clamp's error, and is carried round with the wheel.
    """

    KIND = "swing"
    MEASURES = {f"{gauge}_{end}_deg": gauge for gauge in ("camber", "pitch") for end in ("out", "in")}
    WALK = 80
    TITLE = "swing"
    UNIT = "deg"
    STEERS = True
    FIELDS = (
        Field("side", "side"),
        Field("out_deg", "angle", above_zero=True, asked="how far the wheel is turned out"),
        Field("in_deg", "angle", above_zero=True, asked="how far the wheel is turned in"),
        Field("camber_out_deg", "angle", measured=True),
        Field("camber_in_deg", "angle", measured=True),
        Field("pitch_out_deg", "angle", required=False, measured=True),
        Field("pitch_in_deg", "angle", required=False, measured=True),
        CLAMP,
    )
    TOGETHER = (("pitch_out_deg", "pitch_in_deg"),)

    @property
    def _gauges(self) -> tuple[str, ...]:
        return ("camber", "pitch") if "pitch_out_deg" in self.data else ("camber",)

    def declare(self, layout: Layout) -> None:
        if self.raw:
            layout.clamp(self.axle, self.side)

    def determines(self, layout: Layout) -> frozenset[int] | None:
        return frozenset((layout.caster(self.axle, self.side), layout.sai(self.axle, self.side)))

    def assumes(self, layout: Layout) -> tuple[Assumed, ...]:
        return (Assumed(layout.sai(self.axle, self.side), ASSUMED_SAI_DEG / DEG, ASSUMED_SAI_U_DEG / DEG),)

    def observed(self) -> tuple[Observed, ...]:
        differences = (self.number(f"{gauge}_out_deg") - self.number(f"{gauge}_in_deg") for gauge in self._gauges)
        return tuple(Observed(difference, self.u * SQRT2) for difference in differences)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        wheel = _SwungWheel(self, ground, len(self._gauges))
        axle, side, raw = self.axle, self.side, self.raw
        camber = ((1.0, layout.camber(axle, side)),)
        takes = [Input(((1.0, layout.caster(axle, side)),)), Input(((1.0, layout.sai(axle, side)),)),
                 Input(camber, secondary=True), Input(layout.toe(axle, side), secondary=True)]  # fmt: skip
        if raw:
            gauge_camber = (*camber, (1.0, layout.clamp(axle, side)[0]))
            takes += [
                Input(gauge_camber, secondary=True),
                Input(layout.toe(axle, side, raw=True), secondary=True),
            ]
        takes += gravity.tilt_inputs(layout)
        shown = (_shown_by(gauge, wheel) for gauge in self._gauges)
        return tuple(Formula().own(term, *takes, alone=alone) for term, alone in shown)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        shown: dict[str, Any] = {}
        for gauge, difference in zip(self._gauges, predicted, strict=True):
            mean = (self.number(f"{gauge}_out_deg") + self.number(f"{gauge}_in_deg")) / 2
            shown |= {f"{gauge}_out_deg": mean + difference / 2, f"{gauge}_in_deg": mean - difference / 2}
        return shown


class _SwungWheel:
    """A swing's wheel turned out and turned in. All its rows ask in the same state: the last answer is kept."""

    def __init__(self, reading: Swing, ground: Ground, gauges: int) -> None:
        self._sign, self._raw, self._ground = side_sign(reading.side), reading.raw, ground
        self._turns = reading.number("out_deg") / DEG, -reading.number("in_deg") / DEG
        self._gauges = gauges
        self._level = up_on(ground.roll, ground.pitch)
        self._last: tuple[tuple[float, ...], list[Rise]] | None = None
        self._last_alone: tuple[tuple[float, ...], list[float]] | None = None

    def rises(self, x: tuple[float, ...]) -> list[Rise]:
        """How much higher the gauge's axis, and its forward direction where that is read, stand turned out than turned in.

        Radians; slopes as ``x``: caster, inclination, camber, toe, those of the gauge on a raw clamp, and roll and pitch where
        they are unknown.
        """
        last = self._last
        if last is None or last[0] != x:
            self._last = last = x, [_less(*ends) for ends in zip(*self._ends(x), strict=True)]
        return last[1]

    def rises_alone(self, x: tuple[float, ...]) -> list[float]:
        """What ``rises`` says, without slopes."""
        last = self._last_alone
        if last is None or last[0] != x:
            wheel, tilts = AtRest(*x[:4]), x[6:] if self._raw else x[4:]
            up = up_on(*tilts) if tilts else self._level
            ends = [wheel.turned_alone(turn, self._sign, up) for turn in self._turns]
            if self._raw:
                gauge = Askew(*x[2:6])
                ends = [gauge.carried_alone(*end) for end in ends]
            self._last_alone = last = x, [angle_of(out) - angle_of(into) for out, into in zip(*ends, strict=True)]
        return last[1]

    def _ends(self, x: tuple[float, ...]) -> Iterator[list[Rise]]:
        """The angles above the horizontal at both ends; slopes in the order of ``x``."""
        wheel, tilts = AtRest(*x[:4]), x[6:] if self._raw else x[4:]
        up, moves = (up_on(*tilts), up_moves(*tilts)) if tilts else (self._level, ())
        gauge = Askew(*x[2:6]) if self._raw else None
        for turn in self._turns:
            end: Sequence[Rise] = wheel.turned(turn, self._sign, up, moves)
            if gauge is not None:
                # What hangs askew has its own slopes last, after those of the ground.
                end = [
                    (height, (*by[:4], *by[-2:], *by[4:-2]))
                    for height, by in gauge.carried(*end, ahead=self._gauges > 1)
                ]
            yield [angle_above(rise) for rise in end[: self._gauges]]


def _less(one: Rise, other: Rise) -> Rise:
    """The difference of two angles, with its slopes."""
    return one[0] - other[0], tuple([mine - its for mine, its in zip(one[1], other[1], strict=True)])


def _shown_by(gauge: str, wheel: _SwungWheel) -> tuple[Term, Alone]:
    """What a gauge shows turned out less what it shows turned in, degrees: camber by dip, pitch by rise. With slopes, and alone."""
    which, factor = (0, -DEG) if gauge == "camber" else (1, DEG)

    def term(x: tuple[float, ...]) -> tuple[float, Sequence[float]]:
        rise, by = wheel.rises(x)[which]
        return factor * rise, [factor * slope for slope in by]

    return term, lambda x: factor * wheel.rises_alone(x)[which]


class Turn(Reading):
    """Toe-out on turns: ``inner - outer`` for each way; the three angles are numbers read off the turntables."""

    KIND = "turn"
    WALK = 90
    AT_REST = 20.0
    TITLE = "turning angles"
    PLURAL = True
    UNIT = "deg"
    STEERS = True
    FIELDS = (
        Field("inner_deg", "angle", measured=True, part="inner wheel", short="inner wheel"),
        Field("outer_left_turn_deg", "angle", measured=True, part="outer wheel turning left", short="outer, left turn"),
        Field(
            "outer_right_turn_deg", "angle", measured=True, part="outer wheel turning right", short="outer, right turn"
        ),
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


class Lock(Reading):
    """How far a wheel turns from straight ahead to its stops, steered to its own side (out) and to the other (in).

    Two numbers of the turntable, each a result of its own.
    """

    KIND = "lock"
    TURNED = {"out_deg": 1.0, "in_deg": -1.0}
    WALK = 95
    AT_REST = 36.0
    TITLE = "full lock"
    UNIT = "deg"
    STEERS = True
    FIELDS = (
        Field("side", "side"),
        Field("out_deg", "angle", measured=True, part="out, to its own side", short="full lock out"),
        Field("in_deg", "angle", measured=True, part="in, to the other side", short="full lock in"),
    )

    def declare(self, layout: Layout) -> None:
        for way in ENDS:
            layout.lock(self.axle, self.side, way)

    def observed(self) -> tuple[Observed, ...]:
        return tuple(Observed(self.number(f"{way}_deg"), self.u) for way in ENDS)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return tuple(Formula().linear(DEG, layout.lock(self.axle, self.side, way)) for way in ENDS)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        return {f"{way}_deg": angle for way, angle in zip(ENDS, predicted, strict=True)}
