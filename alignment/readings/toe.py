"""Readings of an axle's total toe."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from alignment.readings.base import SQRT2, Field, Observed, PairReading
from alignment.state import Prediction, State


class ToeScales(PairReading):
    """Cross beams on printed toe scales, positive where the print says toe-in.

    ``±(left + right) = D·(sin toe_left + sin toe_right)``; the lower sign where the heads are turned round on the
    axle, so that toe-in reads as toe-out.
    """

    KIND = "toe_scales"
    TITLE = "toe scales"
    FIELDS = (
        *PairReading.SCALES,
        Field("reference_diameter_mm", "length", above_zero=True),
        Field("heads", "word", words=("forward", "reversed")),
    )

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(self.left + self.right, self.u * SQRT2),)

    def predict(self, state: State) -> tuple[Prediction, ...]:
        layout = state.layout
        diameter = float(self.data["reference_diameter_mm"])
        factor = -diameter if self.data["heads"] == "reversed" else diameter
        return (state.predict().sin_toes(factor, layout.total_toe(self.axle), layout.bearing(self.axle)),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        mean, half = predicted[0] / 2, (self.left - self.right) / 2
        return {"left_mm": mean + half, "right_mm": mean - half}
