"""The model run forwards: what each scale must show in a state, and what a move puts out of date."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any

from alignment.adjust.effects import change_for
from alignment.model.state import LEVEL, Layout, State
from alignment.model.vehicle import Datum, Vehicle
from alignment.readings import KINDS, Reading

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


def unknowns_shown(vehicle: Vehicle, datum: Datum, reading: Reading) -> frozenset[str]:
    """The names of the unknowns that a reading shows: where a move changes one of them (``unknowns_moved``) it is out of date."""
    return _shown(vehicle, datum, reading.data["kind"], json.dumps(reading.data))


@lru_cache(maxsize=4096)
def _shown(vehicle: Vehicle, datum: Datum, kind: str, data: str) -> frozenset[str]:
    """While a vehicle is set this is asked for every number before every move."""
    reading, layout = KINDS[kind](json.loads(data)), Layout(vehicle, datum)
    reading.declare(layout)
    rows = reading.predict(State(layout, ground=LEVEL))
    shown = {index for row in rows for index, slope in row.slopes.items() if abs(slope) > 0}
    told = reading.determines(layout)
    # A sweep tells caster and inclination only; what toe adds to it is of the second order.
    return frozenset(layout.names[index] for index in (shown if told is None else shown & told))
