"""Where a result comes from: which readings carry it, with which share of its doubt, and what a step at each scale does to
it.
"""

from __future__ import annotations

import copy
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from alignment.errors import UnknownQuantityError
from alignment.estimate.solve import Gains, Solution
from alignment.judge.results import PhaseResults, quantity_of, results_of
from alignment.model.state import DEG
from alignment.quantities import QUANTITIES
from alignment.readings.base import Reading

_STEP = 1e-3
"""A step at a scale, mm or degrees, small enough for rows to be straight over it."""
_COUNTS = 1e-6
"""A number that moves a result by less for a unit of it does not carry it."""


@dataclass(frozen=True)
class Step:
    """What one unit more at one scale does to the result: ``number`` is the field, with its place among several."""

    number: str
    change: float


@dataclass(frozen=True)
class Carrier:
    """What carries a result: a reading by its index, or something that no tool reads (``reading`` None), in words.

    ``share`` is its part of the result's variance, 0 to 1; ``steps`` are empty for what no scale shows.
    """

    reading: int | None
    title: str
    share: float
    steps: tuple[Step, ...] = ()


@dataclass(frozen=True)
class Why:
    """Why a result is what it is: its carriers, the largest share first. Shares add up to 1."""

    path: str
    value: float
    u: float
    carriers: tuple[Carrier, ...]


def why(results: PhaseResults, path: str) -> Why | None:
    """What carries the result at a path; None where it is not determined. **Raises** UnknownQuantityError for no such path."""
    solution = results.solution
    known = results_of(solution.layout)
    if path not in known:
        raise UnknownQuantityError(path)
    estimate = results.estimates.get(path)
    if estimate is None:
        return None
    unit = _unit(path)
    gains = solution.gains(known[path].combination)
    whole = estimate.u**2 or 1.0
    carriers = []
    for index, mine, variance in _of_readings(solution, gains, unit):
        reading = solution.readings[index]
        steps = tuple(_steps(reading, mine))
        if steps:
            carriers.append(Carrier(index, reading.title(), variance / whole, steps))
    row = sum(len(reading.numbers) for reading in solution.readings)
    for unread in solution.structure.unread:
        for observed in unread.observed():
            doubt = (unit * gains.rows.get(row, 0.0) * observed.u) ** 2
            row += 1
            if doubt > _COUNTS * whole:
                carriers.append(Carrier(None, unread.title(), doubt / whole))
    for unknown, size in gains.assumed.items():
        name = solution.layout.names[unknown].split("/")
        carriers.append(
            Carrier(
                None, f"assumed {name[2]} {QUANTITIES[name[-1]].label} of axle {name[1]}", (unit * size) ** 2 / whole
            )
        )
    if path == "steer_ahead_deg" and results.held_u_deg:
        carriers.append(Carrier(None, "how the steering wheel was held", results.held_u_deg**2 / whole))
    return Why(path, estimate.value, estimate.u, tuple(sorted(carriers, key=lambda one: -one.share)))


_LEAST_SHARE = 1e-3
"""A reading that carries less of a result's doubt says nothing of it that a person would miss."""


def leant_on(results: PhaseResults, paths: Iterable[str]) -> frozenset[int]:
    """The readings, by index, that carry any of the results at ``paths``; those that are not determined ask for none."""
    solution, known = results.solution, results_of(results.solution.layout)
    found: set[int] = set()
    for path in paths:
        estimate = results.estimates.get(path)
        if estimate is not None and estimate.u:
            gains = solution.gains(known[path].combination)
            shares = _of_readings(solution, gains, _unit(path))
            found |= {index for index, _, variance in shares if variance > _LEAST_SHARE * estimate.u**2}
    return frozenset(found)


def _unit(path: str) -> float:
    """What a radian or a millimetre of a result is, in its own unit."""
    return DEG if QUANTITIES[quantity_of(path)].unit == "deg" else 1.0


def _of_readings(solution: Solution, gains: Gains, unit: float) -> Iterator[tuple[int, list[float], float]]:
    """By how much a result moves for each row of each reading, by its index, and what of the result's variance is its own."""
    row = 0
    for index, reading in enumerate(solution.readings):
        mine = [unit * gains.rows.get(row + place, 0.0) for place in range(len(reading.numbers))]
        yield index, mine, unit * unit * sum(gains.variances.get(row + place, 0.0) for place in range(len(mine)))
        row += len(mine)


def _steps(reading: Reading, gains: list[float]) -> Iterator[Step]:
    """What a unit more of each number read does, by the rows' ``gains``."""
    before = reading.observed()
    for name, place, key, data in _numbers(reading):
        place[key] += _STEP
        after = reading.with_numbers(data).observed()
        change = sum(g * (a.value - b.value) for g, a, b in zip(gains, after, before, strict=True)) / _STEP
        if abs(change) > _COUNTS:
            yield Step(name, change)


def _numbers(reading: Reading) -> Iterator[tuple[str, Any, Any, dict[str, Any]]]:
    """Each number that was read: its name, the place in a copy of the reading that holds it, its key there, and the copy."""
    for field in reading.FIELDS:
        if not field.measured or field.name not in reading.data:
            continue
        value = reading.data[field.name]
        if field.what == "positions":
            for index, position in enumerate(value):
                for name in ("camber_deg", "toe_deg"):
                    if name in position:
                        data = copy.deepcopy(dict(reading.data))
                        yield f"{name} at {position['roll_deg']:g}\u00b0", data[field.name][index], name, data
        elif field.what == "vector":
            for part, axis in enumerate("xyz"):
                data = copy.deepcopy(dict(reading.data))
                yield f"{field.name} {axis}", data[field.name], part, data
        else:
            data = copy.deepcopy(dict(reading.data))
            yield field.name, data, field.name, data
