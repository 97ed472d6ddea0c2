"""Readings of beams along the vehicle: pairs of like scales, and scales that show setback."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from alignment.readings.base import SQRT2, Field, Observed, PairReading
from alignment.state import Layout, Prediction, State


class OutboardPair(PairReading):
    """Beams from heads on this axle's wheels strike two like scales whose readings grow outboard.

    ``(right - left)/2 = (o - o_on) + ahead·tan b - e·tan b_on``, with ``e`` how far the scales stand ahead of the
    axle that carries them. On the frame or king pin ``o_on`` is where the frame line runs at the scales and
    there is no last term. With a ``mount`` the scales have one unknown length, so that also
    ``(left + right)/2 = base - ahead·tan(T/2) + e·tan(T_on/2)``.
    """

    KIND = "outboard_pair"
    TITLE = "flag scales read from the heads"
    FIELDS = (
        Field("ahead_mm", "length"),
        Field("on", "carrier"),
        *PairReading.SCALES,
        Field("mount", "text", required=False),
    )

    @property
    def carrier(self) -> int | None:
        """Number of the axle that carries the scales; None for the frame or the king pin."""
        on = self.data["on"]
        return on if isinstance(on, int) else None

    def declare(self, layout: Layout) -> None:
        if self.carrier is None:
            layout.frame()
        if "mount" in self.data:
            layout.base(self.axle, self.data["mount"])

    def observed(self) -> tuple[Observed, ...]:
        u = self.u / SQRT2
        difference = Observed((self.right - self.left) / 2, u)
        if "mount" not in self.data:
            return (difference,)
        return difference, Observed((self.left + self.right) / 2, u)

    def _beyond_carrier(self, state: State, carrier: int) -> float:
        """How far the scales stand ahead of the axle that carries them, mm."""
        vehicle = state.layout.vehicle
        own, other = vehicle.axle(self.axle), vehicle.axle(carrier)
        return float(self.data["ahead_mm"]) - own.position_mm + other.position_mm

    def predict(self, state: State) -> tuple[Prediction, ...]:
        layout, ahead, carrier = state.layout, float(self.data["ahead_mm"]), self.carrier
        difference = state.predict().linear(1, layout.offset(self.axle)).tan(ahead, layout.bearing(self.axle))
        if carrier is None:
            bearing, offset = layout.frame()
            place = ahead - layout.vehicle.axle(self.axle).position_mm
            difference.linear(-1, offset).tan(-place, bearing)
        else:
            beyond = self._beyond_carrier(state, carrier)
            difference.linear(-1, layout.offset(carrier)).tan(-beyond, layout.bearing(carrier))
        if "mount" not in self.data:
            return (difference,)
        mean = state.predict().linear(1, layout.base(self.axle, self.data["mount"]))
        mean.tan(-ahead, layout.total_toe(self.axle), 0.5)
        if carrier is not None:
            mean.tan(self._beyond_carrier(state, carrier), layout.total_toe(carrier), 0.5)
        return difference, mean

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        difference = predicted[0]
        mean = predicted[1] if len(predicted) > 1 else (self.left + self.right) / 2
        return {"left_mm": mean - difference, "right_mm": mean + difference}


class SetbackScales(PairReading):
    """Two scales of which the lower belongs to the wheel that is set back.

    Square to the wheels: ``left - right = s - track·tan b``. Square to the datum: ``left - right = s``.
    """

    KIND = "setback_scales"
    TITLE = "setback scales"
    FIELDS = (
        *PairReading.SCALES,
        Field("square_to", "word", required=False, words=("wheels", "datum")),
    )

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(self.left - self.right, self.u * SQRT2),)

    def predict(self, state: State) -> tuple[Prediction, ...]:
        layout = state.layout
        difference = state.predict().linear(1, layout.setback(self.axle))
        if self.data.get("square_to", "wheels") == "wheels":
            difference.tan(-layout.vehicle.axle(self.axle).track_mm, layout.bearing(self.axle))
        return (difference,)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        mean, half = (self.left + self.right) / 2, predicted[0] / 2
        return {"left_mm": mean + half, "right_mm": mean - half}
