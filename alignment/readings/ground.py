"""The tilt of the ground, which a phase may carry once; taken as exact."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from alignment.model.formula import Formula
from alignment.model.state import DEG, Ground, Layout
from alignment.readings.base import Field, Observed, Reading


class GroundTilt(Reading):
    """Not a row of the adjustment: it says on what ground the gravity readings of its phase were taken."""

    KIND = "ground"
    TITLE = "ground"
    UNIT = "none"
    ON_AXLE = False
    FIELDS = (Field("roll_deg", "angle", measured=True), Field("pitch_deg", "angle", measured=True))

    def tilt(self) -> Ground:
        """The tilt in radians."""
        return Ground(self.data["roll_deg"] / DEG, self.data["pitch_deg"] / DEG)

    def observed(self) -> tuple[Observed, ...]:
        return ()

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - it has no rows
        return ()

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:  # noqa: ARG002 - it has no rows
        return {"roll_deg": self.data["roll_deg"], "pitch_deg": self.data["pitch_deg"]}

    def title(self) -> str:
        return "tilt of the ground"
