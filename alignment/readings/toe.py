"""Readings of toe: an axle's total by scales, tape, gauge, mirror or plate, and a wheel's own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from alignment.model.formula import Formula
from alignment.model.state import DEG, Ground, Layout
from alignment.model.vehicle import SIDES
from alignment.readings.base import CLAMP, SQRT2, Field, Observed, PairReading, Reading, SingleReading


def chord(layout: Layout, axle: int, diameter: float, *, raw: bool = False) -> Formula:
    """``D·(sin toe_left + sin toe_right)``: by how much an axle's wheels stand closer in front than behind, mm.

    ``raw`` as tools on the wheels' clamps see it.
    """
    formula = Formula()
    for side in SIDES:
        formula.sin(diameter, *layout.toe(axle, side, raw=raw))
    return formula


class ToeScales(PairReading):
    """Cross beams on printed toe scales, positive where the print says toe-in.

    ``±(left + right) = D·(sin toe_left + sin toe_right)``; the lower sign where the heads are turned round on the
    axle, so that toe-in reads as toe-out.
    """

    KIND = "toe_scales"
    WALK = 110
    TELLS_TOE = True
    TITLE = "toe scales"
    FIELDS = (
        *PairReading.SCALES,
        Field("reference_diameter_mm", "length", above_zero=True),
        Field("heads", "word", words=("forward", "reversed")),
        CLAMP,
    )

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(self.left + self.right, self.u * SQRT2),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        diameter = self.number("reference_diameter_mm")
        return (chord(layout, self.axle, -diameter if self.data["heads"] == "reversed" else diameter, raw=self.raw),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        mean, half = predicted[0] / 2, (self.left - self.right) / 2
        return {"left_mm": mean + half, "right_mm": mean - half}


class TapeToe(Reading):
    """Width across the tyre marks ahead of and behind the axle: ``behind - ahead = D·(sin toe_left + sin toe_right)``."""

    KIND = "tape_toe"
    WALK = 130
    AT_REST = 1500.0
    TELLS_TOE = True
    TITLE = "taped widths"
    PLURAL = True
    UNIT = "mm"
    FIELDS = (
        Field("ahead_mm", "length", measured=True, part="in front", short="tape in front"),
        Field("behind_mm", "length", measured=True, part="behind", short="tape behind"),
        Field("diameter_mm", "length", above_zero=True, asked="diameter on which the tyre marks lie"),
    )

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(self.number("behind_mm") - self.number("ahead_mm"), self.u * SQRT2),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return (chord(layout, self.axle, self.number("diameter_mm")),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        mean, half = (self.number("ahead_mm") + self.number("behind_mm")) / 2, predicted[0] / 2
        return {"ahead_mm": mean - half, "behind_mm": mean + half}


class ToeGauge(SingleReading):
    """One gauge across the vehicle, zeroed at a first place, then moved ``baseline_mm`` along.

    ``shift`` is by how much the beams stand further apart at the second place:
    ``±baseline·(tan toe_left + tan toe_right)``, plus where the second place lies rearward.
    """

    KIND = "toe_gauge"
    WALK = 140
    TELLS_TOE = True
    TITLE = "shift of the toe gauge"
    UNIT = "mm"
    FIELD = "shift_mm"
    FIELDS = (
        Field("baseline_mm", "length", above_zero=True, asked="how far the gauge is moved along"),
        Field("second", "word", words=("rearward", "forward")),
        Field("shift_mm", "length", measured=True),
        CLAMP,
    )

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        baseline = self.number("baseline_mm") * (1 if self.data["second"] == "rearward" else -1)
        formula = Formula()
        for side in SIDES:
            formula.tan(baseline, *layout.toe(self.axle, side, raw=self.raw))
        return (formula,)


class CrossDial(Reading):
    """A mirror sends the cross beam back, so that the dial reads double.

    ``dial_deg = 2·T``, or ``dial_mm = 2·D·(sin toe_left + sin toe_right)`` at the dial's diameter.
    """

    KIND = "cross_dial"
    WALK = 120
    TELLS_TOE = True
    TITLE = "cross beam's dial"
    UNIT = "mm"
    FIELDS = (
        Field("dial_mm", "length", required=False, measured=True),
        Field("reference_diameter_mm", "length", required=False, above_zero=True),
        Field("dial_deg", "angle", required=False, measured=True),
        CLAMP,
    )
    EITHER = (("dial_mm", "reference_diameter_mm"), ("dial_deg",))

    @classmethod
    def u_keys(cls, data: Mapping[str, Any]) -> tuple[str, ...]:
        return ("u_deg",) if "dial_deg" in data else ("u_mm",)

    @property
    def unit(self) -> str:
        return "deg" if "dial_deg" in self.data else "mm"

    @property
    def _dial(self) -> str:
        return f"dial_{self.unit}"

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(self.number(self._dial), self.u),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        if self.unit == "deg":
            return (Formula().plus(layout.closing(self.axle, 2 * DEG, raw=self.raw)),)
        return (chord(layout, self.axle, 2 * self.number("reference_diameter_mm"), raw=self.raw),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        return {self._dial: predicted[0]}


class Toe(SingleReading):
    """A wheel's own toe against the datum line, from a tool that gives it."""

    KIND = "toe"
    MEASURES = {"deg": "toe"}
    WALK = 50
    TELLS_TOE = True
    TITLE = "toe"
    UNIT = "deg"
    FIELD = "deg"
    FIELDS = (Field("side", "side"), Field("deg", "angle", measured=True), CLAMP)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return (Formula().plus(layout.toe(self.axle, self.side, DEG, raw=self.raw)),)


class DriveOver(SingleReading):
    """Total toe from a plate that is driven over: ``deg = T``."""

    KIND = "drive_over"
    WALK = 100
    TELLS_TOE = True
    TITLE = "total toe on the plate"
    UNIT = "deg"
    FIELD = "deg"
    FIELDS = (Field("deg", "angle", measured=True),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return (Formula().linear(DEG, layout.total_toe(self.axle)),)
