"""Readings of an angle gauge on a wheel: camber on its clamp, as it is rolled, and against the ground beside it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

from alignment.model import gravity
from alignment.model.formula import Formula
from alignment.model.state import DEG, Ground, Layout
from alignment.readings.base import Field, Observed, Reading, SingleReading


class Camber(SingleReading):
    """A wheel's camber against gravity; ``raw`` where the clamp's error is still in it, as at roll 0."""

    KIND = "camber"
    WALK = 20
    ON_CLAMP = True
    TITLE = "camber"
    UNIT = "deg"
    FIELD = "deg"
    FIELDS = (
        Field("side", "side"),
        Field("deg", "angle", measured=True),
        Field("clamp", "word", required=False, words=("trued", "raw")),
    )

    @property
    def _raw(self) -> bool:
        return bool(self.data.get("clamp") == "raw")

    def declare(self, layout: Layout) -> None:
        if self._raw:
            layout.clamp(self.axle, self.side)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        camber = gravity.camber(layout, ground, self.axle, self.side)
        return (camber.linear(DEG, layout.clamp(self.axle, self.side)[0]) if self._raw else camber,)


class RimAngle(SingleReading):
    """The angle between the ground beside the wheel and the rim's face: ``deg = 90 - c``, whatever the ground's tilt."""

    KIND = "rim_angle"
    WALK = 30
    TITLE = "rim angle"
    UNIT = "deg"
    FIELD = "deg"
    FIELDS = (Field("side", "side"), Field("deg", "angle", measured=True))

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - tilt does not enter
        return (Formula(90.0).linear(-DEG, layout.camber(self.axle, self.side)),)


class Runout(Reading):
    """Camber, and where the tool gives it toe, read as the wheel is rolled forward by known angles φ.

    ``camber = c + ec·cos φ + es·sin φ`` against gravity; ``toe = toe_wheel + es·cos φ - ec·sin φ``.
    """

    KIND = "runout"
    WALK = 10
    TITLE = "runout"
    UNIT = "deg"
    FIELDS = (Field("side", "side"), Field("positions", "positions", measured=True))
    POSITION_FIELDS = (
        Field("roll_deg", "angle"),
        Field("camber_deg", "angle", measured=True),
        Field("toe_deg", "angle", required=False, measured=True),
    )

    def structure(self) -> tuple[object, ...]:
        return self.KIND, self.axle, self.side, *((name, roll) for name, roll, _ in self._positions())

    def declare(self, layout: Layout) -> None:
        layout.clamp(self.axle, self.side)

    def _positions(self) -> Iterator[tuple[str, float, float]]:
        """Name, roll (radians) and value of each number read, in the rows' order."""
        for position in self.data["positions"]:
            roll = position["roll_deg"] / DEG
            for name in ("camber_deg", "toe_deg"):
                if name in position:
                    yield name, roll, float(position[name])

    def observed(self) -> tuple[Observed, ...]:
        return tuple(Observed(value, self.u) for _, _, value in self._positions())

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        return tuple(self._formula(layout, ground, name, roll) for name, roll, _ in self._positions())

    def _formula(self, layout: Layout, ground: Ground, name: str, roll: float) -> Formula:
        cosine, sine = layout.clamp(self.axle, self.side)
        along, across = DEG * math.cos(roll), DEG * math.sin(roll)
        if name == "camber_deg":
            camber = gravity.camber(layout, ground, self.axle, self.side)
            return camber.linear(along, cosine).linear(across, sine)
        toe = Formula()
        for factor, index in layout.toe(self.axle, self.side, DEG):
            toe.linear(factor, index)
        return toe.linear(along, sine).linear(-across, cosine)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        shown = iter(predicted)
        return {
            "positions": [
                {name: next(shown) if name != "roll_deg" else value for name, value in position.items()}
                for position in ({k: p[k] for k in ("roll_deg", "camber_deg", "toe_deg") if k in p}
                                 for p in self.data["positions"])
            ]
        }  # fmt: skip
