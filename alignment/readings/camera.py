"""What a camera makes of a wheel: its centre and its spin axis in the datum's frame."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from alignment.model.formula import Formula
from alignment.model.state import DEG, Ground, Layout
from alignment.model.vehicle import side_sign
from alignment.readings.base import Field, Observed, Reading


class WheelAxis(Reading):
    """Centre and outboard spin axis of a wheel, x forward, y left, z up, from the datum line level with axle 1.

    ``x = -position ± s/2``, ``y = -o ± track/2`` (upper sign left); toe and camber are those of the axis. ``u_along_mm`` is the
    uncertainty of y, ``u_mm`` where it is absent; ``u_camber_deg`` that of the camber, ``u_deg`` where it is absent.
    """

    KIND = "wheel_axis"
    WALK = 40
    TITLE = "wheel axis"
    UNIT = "deg"
    FIELDS = (
        Field("side", "side"),
        Field("centre_mm", "vector", measured=True),
        Field("axis", "vector", measured=True, above_zero=True),
    )

    @classmethod
    def u_keys(cls, data: Mapping[str, Any]) -> tuple[str, ...]:  # noqa: ARG003 - it always reads both
        return "u_mm", "u_along_mm", "u_deg", "u_camber_deg"

    def observed(self) -> tuple[Observed, ...]:
        x, y, _ = self.data["centre_mm"]
        toe, camber = self._angles()
        u_along = float(self.data.get("u_along_mm", self.u_mm))
        u_camber = float(self.data.get("u_camber_deg", self.u_deg))
        return Observed(x, self.u_mm), Observed(y, u_along), Observed(toe, self.u_deg), Observed(camber, u_camber)

    def _angles(self) -> tuple[float, float]:
        """Toe and camber of the axis as read, degrees."""
        along, left, up = (float(part) / self._longest for part in self.data["axis"])
        return DEG * math.atan2(along, side_sign(self.side) * left), -DEG * math.atan2(up, math.hypot(along, left))

    @property
    def _longest(self) -> float:
        """The largest part of the axis: divided by it, squares neither vanish nor overflow."""
        return max(abs(float(part)) for part in self.data["axis"])

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - not against gravity
        axle, sign = layout.vehicle.axle(self.axle), side_sign(self.side)
        toe = Formula().plus(layout.toe(self.axle, self.side, DEG))
        return (
            Formula(-axle.position_mm).linear(sign / 2, layout.setback(self.axle)),
            Formula(sign * axle.track_mm / 2).linear(-1, layout.offset(self.axle)),
            toe,
            Formula().linear(DEG, layout.camber(self.axle, self.side)),
        )

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        x, y, toe, camber = predicted[0], predicted[1], predicted[2] / DEG, predicted[3] / DEG
        size = math.sqrt(sum((float(part) / self._longest) ** 2 for part in self.data["axis"])) * self._longest
        level = size * math.cos(camber)
        sideways = side_sign(self.side) * level * math.cos(toe)
        return {
            "centre_mm": [x, y, self.data["centre_mm"][2]],
            "axis": [level * math.sin(toe), sideways, -size * math.sin(camber)],
        }
