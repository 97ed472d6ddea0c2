"""Trials of the method on made-up jobs: are errors as large as is said of them, and are blunders named?"""

from __future__ import annotations

import copy
import random
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from alignment.jobfile import JobFile
from alignment.judge.results import PhaseResults, results_of
from alignment.judge.swapped import Wheel, as_hung, reads_nothing
from alignment.readings import KINDS
from alignment.readings.base import Reading
from alignment.simulate.bodies import Bodies
from alignment.simulate.jobs import SimulatedJob

BLUNDER_SIGMAS = 6.0
"""By how many of its standard deviations a planted blunder moves the residual that it moves most."""
CHECKED_REDUNDANCY = 0.1
"""A reading counts as checked by the others from this redundancy number on; below, little of a slip shows."""


def standardised_errors(job: SimulatedJob, results: PhaseResults) -> Iterator[tuple[str, float]]:
    """The error of each determined result in its own standard uncertainty, with the quantity's name.

    Caster whose wheel's toe nothing reads is named apart: the contract takes that toe as 0 without uncertainty.
    """
    layout = results.solution.layout
    every = results_of(layout)
    for path, estimate in results.estimates.items():
        if estimate is None or estimate.u == 0:
            continue
        result = every[path]
        truth = sum(factor * job.truth.get(layout.names[i], 0.0) for i, factor in result.combination.items())
        yield _named(path, result.quantity, results), (estimate.value - truth) / estimate.u


def _named(path: str, quantity: str, results: PhaseResults) -> str:
    if "caster" not in quantity:
        return quantity
    _, axle, *side, _ = path.split("/")
    toes = [f"axles/{axle}/{one}/toe_deg" for one in side or ("left", "right")]
    return quantity if all(results.estimates[toe] is not None for toe in toes) else f"{quantity}, toe not read"


@dataclass(frozen=True)
class Planted:
    """A job file with a blunder in one number of the reading of that index."""

    document: dict[str, Any]
    reading: int


def plant_blunder(job: SimulatedJob, results: PhaseResults, rng: random.Random) -> Planted | None:
    """A blunder in one number of a randomly chosen reading that the others check; None where no reading is checked."""
    solution = results.solution
    document = copy.deepcopy(job.document)
    readings = document["readings"]
    for index in rng.sample(range(len(readings)), len(readings)):
        places = list(_numbers(readings[index]))
        for place, key in rng.sample(places, len(places)):
            shift = _reach(solution.readings[index], readings[index], place, key, solution.redundancies(index))
            if shift > 0:
                place[key] += rng.choice((-1, 1)) * BLUNDER_SIGMAS / shift
                return Planted(document, index)
    return None


def hung_on_each_others(
    job: JobFile, truth: Mapping[str, float], wheels: tuple[Wheel, Wheel], rng: random.Random
) -> list[Reading]:
    """What heads say that hang on each other's wheels of one side: traced where they really are, and taken for where they
    belong.
    """
    bodies, read = Bodies(job.vehicle, truth), list(job.readings)
    really = iter(as_hung(read, *wheels))
    found = []
    for reading in read:
        if reads_nothing(reading, *wheels):
            continue
        there = next(really)
        if there is reading or reading.KIND == "clamp":
            found.append(reading)
            continue
        shown = {**there.data, **bodies.shown(there)}
        noisy = type(there)(shown)
        if "positions" in shown:
            shown["positions"] = [
                {key: value if key == "roll_deg" else value + rng.gauss(0, noisy.u) for key, value in position.items()}
                for position in shown["positions"]
            ]
        else:
            shown |= {
                field.name: shown[field.name] + rng.gauss(0, noisy.u)
                for field in noisy.FIELDS
                if field.measured and field.name in shown
            }
        measured = {field.name: shown[field.name] for field in reading.FIELDS if field.measured and field.name in shown}
        found.append(type(reading)({**reading.data, **measured}))
    return found


def _numbers(data: dict[str, Any]) -> Iterator[tuple[Any, Any]]:
    """Each number that was read, as the place that holds it and its key there."""
    for position in data.get("positions", ()):
        yield from ((position, name) for name in ("camber_deg", "toe_deg") if name in position)
    for field in KINDS[data["kind"]].FIELDS:
        if field.measured and field.what == "vector":
            yield from ((data[field.name], part) for part in range(2 if field.name == "centre_mm" else 1))
        elif field.measured and field.what in ("length", "angle") and field.name in data:
            yield data, field.name


def _reach(reading: Reading, data: dict[str, Any], place: Any, key: Any, redundancies: list[float]) -> float:
    """By how many standard deviations the largest checked residual moves for a unit of the number; 0 where none does."""
    step = 1e-3
    before = place[key]
    place[key] = before + step
    after = reading.with_numbers(data).observed()
    place[key] = before
    shifts = [0.0]
    for moved, was, r in zip(after, reading.observed(), redundancies, strict=True):
        if r >= CHECKED_REDUNDANCY:
            shifts.append(abs(moved.value - was.value) / step / was.u * r**0.5)
    return max(shifts)
