"""Readings of the steering axis: caster and inclination from a tool, by swinging the wheel, and toe-out on turns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from alignment import gravity
from alignment.formula import Array, Bundle, BundledTerm, Formula
from alignment.readings.base import SQRT2, Assumed, Field, Observed, Reading, SingleReading
from alignment.rigid import up_on
from alignment.state import DEG, Ground, Layout
from alignment.swinging import heights
from alignment.vehicle import SIDES, side_sign

ASSUMED_SAI_DEG = 12.0
ASSUMED_SAI_U_DEG = 3.0
"""Inclination where a swing needs it and nothing gives it (the job file's contract)."""


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
        terms = [SwingTerm(self, layout, ground, gauge) for gauge in self._gauges]
        return tuple(Formula().own(term, term.touched) for term in terms)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        shown: dict[str, Any] = {}
        for gauge, difference in zip(self._gauges, predicted, strict=True):
            mean = (self.number(f"{gauge}_out_deg") + self.number(f"{gauge}_in_deg")) / 2
            shown |= {f"{gauge}_out_deg": mean + difference / 2, f"{gauge}_in_deg": mean - difference / 2}
        return shown


class SwingTerm(BundledTerm):
    """What a gauge shows turned out less what it shows turned in, degrees: camber by dip, pitch by rise."""

    def __init__(self, reading: Swing, layout: Layout, ground: Ground, gauge: str) -> None:
        axle, side = reading.axle, reading.side
        self.touched = (layout.caster(axle, side), layout.sai(axle, side), layout.camber(axle, side),
                        layout.total_toe(axle), layout.bearing(axle))  # fmt: skip
        self.sign = side_sign(side)
        self.turns = reading.number("out_deg") / DEG, -reading.number("in_deg") / DEG
        self.up = up_on(ground.roll, ground.pitch)
        self.gauge = gauge

    @staticmethod
    def bundle(terms: Sequence[BundledTerm]) -> Bundle:
        return _Swings([term for term in terms if isinstance(term, SwingTerm)])


class _Swings(Bundle):
    """Swings on one ground. Two rows of one wheel, for camber and pitch, share its turns."""

    def __init__(self, terms: Sequence[SwingTerm]) -> None:
        wheels = {(term.touched, term.turns): term for term in terms}
        place = {wheel: number for number, wheel in enumerate(wheels)}
        places = [place[term.touched, term.turns] for term in terms]
        self._wheels = np.array([places.index(number) for number in range(len(wheels))])
        self._rows = np.array(places)
        self._gauge = np.array([0 if term.gauge == "camber" else 1 for term in terms])
        self._way = np.where(self._gauge == 0, -DEG, DEG)
        self._sign = np.tile([term.sign for term in wheels.values()], 2)
        self._outward = np.array([term.turns[end] for end in (0, 1) for term in wheels.values()])
        self._up = terms[0].up

    def at(self, values: Array) -> tuple[Array, Array]:
        both_ends = np.concatenate((values[:, self._wheels], values[:, self._wheels]), axis=1)
        count = len(self._wheels)
        shown, slopes = np.empty((2, count)), np.empty((2, 5, count))
        for gauge, (risen, by) in enumerate(heights(both_ends, self._sign, self._outward, self._up)):
            shown[gauge] = risen[:count] - risen[count:]
            slopes[gauge] = by[:, :count] - by[:, count:]
        return self._way * shown[self._gauge, self._rows], self._way[:, None] * slopes[self._gauge, :, self._rows]


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
