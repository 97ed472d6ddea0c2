"""The tilt of the ground, which a phase may carry once: exact, or with a doubt of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from alignment.model.formula import Formula
from alignment.model.state import DEG, LEVEL, Ground, Layout
from alignment.readings.base import Field, Observed, Reading


class GroundTilt(Reading):
    """On what ground the gravity readings of its phase were taken.

    Without ``u_deg`` it is no row of the adjustment. With it roll and pitch are two unknowns, each read once.
    """

    KIND = "ground"
    TITLE = "ground's tilt"
    UNIT = "none"
    ON_AXLE = False
    SHOWN = False
    FIELDS = (Field("roll_deg", "angle", measured=True), Field("pitch_deg", "angle", measured=True))

    @classmethod
    def u_keys(cls, data: Mapping[str, Any]) -> tuple[str, ...]:  # noqa: ARG003 - it always may have one
        return ("u_deg",)

    @property
    def exact(self) -> bool:
        """Whether the tilt is taken as exact."""
        return "u_deg" not in self.data

    @property
    def unit(self) -> str:
        return "none" if self.exact else "deg"

    def structure(self) -> tuple[object, ...]:
        return self.KIND, self.exact

    def tilt(self) -> Ground:
        """The tilt in radians, as far as it is exact."""
        return Ground(self.data["roll_deg"] / DEG, self.data["pitch_deg"] / DEG) if self.exact else LEVEL

    def declare(self, layout: Layout) -> None:
        if not self.exact:
            layout.tilt()

    def observed(self) -> tuple[Observed, ...]:
        return (
            () if self.exact else tuple(Observed(self.number(name), self.u_deg) for name in ("roll_deg", "pitch_deg"))
        )

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - it is the ground
        return () if self.exact else tuple(Formula().linear(DEG, index) for index in layout.tilt())

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        given = [self.data["roll_deg"], self.data["pitch_deg"]] if self.exact else predicted
        return dict(zip(("roll_deg", "pitch_deg"), given, strict=True))

    def title(self) -> str:
        return self.TITLE
