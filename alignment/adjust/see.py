"""The model run forwards: the state after some moves, what each scale must then show, and what stays valid."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from alignment.readings.base import Reading
from alignment.solve import Solution
from alignment.state import DEG, LEVEL, Layout, State
from alignment.vehicle import Datum, Vehicle, side_sign


class WheelTurn(NamedTuple):
    """A change of one wheel's toe, degrees: its axle's total toe changes by as much, its bearing by half."""

    axle: int
    side: str
    change_deg: float

    def apply(self, state: State) -> None:
        """Turn the wheel of ``state``, in place."""
        change = self.change_deg / DEG
        state.x[state.layout.total_toe(self.axle)] += change
        state.x[state.layout.bearing(self.axle)] += side_sign(self.side) * change / 2


def state_after(solution: Solution, turns: Iterable[WheelTurn]) -> State:
    """The solved state as the turns leave it."""
    state = solution.state
    for turn in turns:
        turn.apply(state)
    return state


def showing(state: State, reading: Reading) -> dict[str, Any]:
    """The measured fields of a reading as its scales show them in ``state``."""
    return reading.showing([prediction.value for prediction in reading.predict(state)])


def must_show(state: State, readings: Sequence[Reading]) -> list[dict[str, Any]]:
    """What each scale must show in ``state``, by index of the reading."""
    return [
        {"reading": index, **showing(state, reading)}
        for index, reading in enumerate(readings)
        if reading.KIND != "ground"
    ]


def depends_on(vehicle: Vehicle, datum: Datum, reading: Reading, axle: int) -> bool:
    """Whether turning the wheels of an axle changes what a reading shows: if so the reading is out of date."""
    layout = Layout(vehicle, datum)
    reading.declare(layout)
    state = State(layout, ground=LEVEL)
    moved = {layout.total_toe(axle), layout.bearing(axle)}
    told = reading.determines(layout)
    if told is not None:
        # A sweep tells caster and inclination only; what toe adds to it is of the second order.
        moved &= told
    return any(
        abs(slope) > 0 for row in reading.predict(state) for index, slope in row.slopes.items() if index in moved
    )
