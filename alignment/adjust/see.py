"""The model run forwards: what each scale must show in a state, and what a move puts out of date."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from alignment.adjust.effects import change_for
from alignment.model.state import LEVEL, Layout, State
from alignment.model.vehicle import Datum, Vehicle
from alignment.readings.base import Reading

NO_CHANGE = 0.1
"""A scale that moves by less than this part of what it can be misread by does not answer to a move."""


def showing(state: State, reading: Reading) -> dict[str, Any]:
    """The measured fields of a reading as its scales show them in ``state``."""
    return reading.shown(state)


def must_show(state: State, readings: Sequence[Reading]) -> list[dict[str, Any]]:
    """What each scale must show in ``state``, by index of the reading."""
    return [{"reading": index, **showing(state, reading)} for index, reading in enumerate(readings) if reading.SHOWN]


def answering(before: State, after: State, readings: Sequence[Reading]) -> dict[int, dict[str, float]]:
    """The numbers that differ between two states, as they stand in the second, by index of the reading and field."""
    found = {}
    for was, will in zip(must_show(before, readings), must_show(after, readings), strict=True):
        numbers = {key: value for key, value in will.items() if key != "reading" and isinstance(value, float)}
        least = NO_CHANGE * readings[will["reading"]].u
        changed = {key: value for key, value in numbers.items() if abs(value - was[key]) > least}
        if changed:
            found[will["reading"]] = changed
    return found


def state_after(state: State, effects: Iterable[Mapping[str, float]]) -> State:
    """A state as moves leave it, each given by its effect: by path, degrees and millimetres."""
    moved = State(state.layout, [state.x[index] for index in range(len(state.layout.names))], state.ground)
    for effect in effects:
        change_for(state.layout, effect).apply(moved)
    return moved


def depends_on(vehicle: Vehicle, datum: Datum, reading: Reading, effect: Mapping[str, float]) -> bool:
    """Whether a move with an effect changes what a reading shows: if so the reading is out of date."""
    layout = Layout(vehicle, datum)
    reading.declare(layout)
    state = State(layout, ground=LEVEL)
    moved = set(change_for(layout, effect).slopes(state))
    told = reading.determines(layout)
    if told is not None:
        # A sweep tells caster and inclination only; what toe adds to it is of the second order.
        moved &= told
    return any(
        abs(slope) > 0 for row in reading.predict(state) for index, slope in row.slopes.items() if index in moved
    )
