"""Readings of an angle gauge on a wheel's clamp: camber, and camber (and toe) as the wheel is rolled."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

from alignment.gravity import gravity_camber
from alignment.readings.base import Field, Observed, Reading
from alignment.state import DEG, Layout, Prediction, State
from alignment.vehicle import side_sign


class Camber(Reading):
    """A wheel's camber against gravity; ``raw`` where the clamp's error is still in it, as at roll 0."""

    KIND = "camber"
    TITLE = "camber"
    UNIT = "deg"
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

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(float(self.data["deg"]), self.u),)

    def predict(self, state: State) -> tuple[Prediction, ...]:
        camber = gravity_camber(state, self.axle, self.side)
        if self._raw:
            camber.linear(DEG, state.layout.clamp(self.axle, self.side)[0])
        return (camber,)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        return {"deg": predicted[0]}


class Runout(Reading):
    """Camber, and where the tool gives it toe, read as the wheel is rolled forward by known angles φ.

    ``camber = c + ec·cos φ + es·sin φ`` against gravity; ``toe = toe_wheel + es·cos φ - ec·sin φ``.
    """

    KIND = "runout"
    TITLE = "runout"
    UNIT = "deg"
    FIELDS = (Field("side", "side"), Field("positions", "positions", measured=True))
    POSITION_FIELDS = (
        Field("roll_deg", "angle"),
        Field("camber_deg", "angle", measured=True),
        Field("toe_deg", "angle", required=False, measured=True),
    )

    def declare(self, layout: Layout) -> None:
        layout.clamp(self.axle, self.side)

    def _numbers(self) -> Iterator[tuple[str, float, float]]:
        """Name, roll (radians) and value of each number read, in the rows' order."""
        for position in self.data["positions"]:
            roll = position["roll_deg"] / DEG
            for name in ("camber_deg", "toe_deg"):
                if name in position:
                    yield name, roll, float(position[name])

    def observed(self) -> tuple[Observed, ...]:
        return tuple(Observed(value, self.u) for _, _, value in self._numbers())

    def predict(self, state: State) -> tuple[Prediction, ...]:
        return tuple(self._predict_one(state, name, roll) for name, roll, _ in self._numbers())

    def _predict_one(self, state: State, name: str, roll: float) -> Prediction:
        layout = state.layout
        cosine, sine = layout.clamp(self.axle, self.side)
        along, across = DEG * math.cos(roll), DEG * math.sin(roll)
        if name == "camber_deg":
            return gravity_camber(state, self.axle, self.side).linear(along, cosine).linear(across, sine)
        toe = state.predict().linear(DEG / 2, layout.total_toe(self.axle))
        toe.linear(DEG * side_sign(self.side), layout.bearing(self.axle))
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
