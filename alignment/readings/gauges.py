"""Readings of an angle gauge on a wheel: camber on its clamp, as it is rolled, and against the ground beside it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

from alignment.model import gravity
from alignment.model.formula import Formula
from alignment.model.state import DEG, Ground, Layout
from alignment.readings.base import CLAMP, GAUGE, ZERO, Field, Observed, Reading, SingleReading


class Camber(SingleReading):
    """A wheel's camber against gravity; ``raw`` where the clamp's error is still in it, as at roll 0. A ``gauge`` adds its zero."""

    KIND = "camber"
    MEASURES = {"deg": "camber"}
    WALK = 20
    TITLE = "camber"
    UNIT = "deg"
    FIELD = "deg"
    FIELDS = (
        Field("side", "side"),
        Field("deg", "angle", measured=True),
        CLAMP,
        GAUGE,
        ZERO,
    )

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        camber = _hung(self, gravity.camber(layout, ground, self.axle, self.side), layout)
        return (camber.linear(DEG, layout.clamp(self.axle, self.side)[0]) if self.raw else camber,)


def _hung(reading: Reading, camber: Formula, layout: Layout) -> Formula:
    """A camber with the zero of the gauge that it is read with."""
    return camber if reading.gauge is None else camber.linear(DEG, layout.zero(reading.gauge))


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
    MEASURES = {"roll": "camber", "toe": "toe"}
    WALK = 10
    TITLE = "runout"
    UNIT = "deg"
    FIELDS = (Field("side", "side"), Field("positions", "positions", measured=True), GAUGE, ZERO)
    POSITION_FIELDS = (
        Field("roll_deg", "angle"),
        Field("camber_deg", "angle", measured=True),
        Field("toe_deg", "angle", required=False, measured=True),
    )

    @classmethod
    def measures(cls, path: str) -> str:
        # ``roll_90`` and ``toe_90`` are the two numbers of a position.
        return cls.MEASURES.get(path.partition("_")[0], "")

    def structure(self) -> tuple[object, ...]:
        zero = (self.gauge, self.zero_u_deg) if self.gauge is not None else ()
        return self.KIND, self.axle, self.side, *zero, *((name, roll) for name, roll, _ in self._positions())

    def declare(self, layout: Layout) -> None:
        super().declare(layout)
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
            camber = _hung(self, gravity.camber(layout, ground, self.axle, self.side), layout)
            return camber.linear(along, cosine).linear(across, sine)
        toe = Formula().plus(layout.toe(self.axle, self.side, DEG))
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


class Clamp(Reading):
    """The clamp's own error on a wheel as it was found earlier: it says nothing of the wheel itself."""

    KIND = "clamp"
    WALK = 15
    TITLE = "clamp's error"
    UNIT = "deg"
    SHOWN = False
    FIELDS = (
        Field("side", "side"),
        Field("cosine_deg", "angle", measured=True),
        Field("sine_deg", "angle", measured=True),
    )

    def declare(self, layout: Layout) -> None:
        layout.clamp(self.axle, self.side)

    def observed(self) -> tuple[Observed, ...]:
        return tuple(Observed(self.number(name), self.u) for name in ("cosine_deg", "sine_deg"))

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return tuple(Formula().linear(DEG, index) for index in layout.clamp(self.axle, self.side))

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        return dict(zip(("cosine_deg", "sine_deg"), predicted, strict=True))
