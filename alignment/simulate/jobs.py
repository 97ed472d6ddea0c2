"""Whole jobs made up: every reading of a kit on a vehicle with a hidden truth, as a job file."""

from __future__ import annotations

import random
from dataclasses import dataclass
from typing import Any

from alignment.model.vehicle import SIDES
from alignment.patterns import Pattern
from alignment.procedure.kit import Kit
from alignment.simulate.truth import random_truth
from alignment.simulate.world import World, made


@dataclass(frozen=True)
class SimulatedJob:
    """A job file and the truth behind it, by names of unknowns in degrees and millimetres."""

    document: dict[str, Any]
    truth: dict[str, float]


def simulate(pattern: Pattern, kit: Kit, seed: int | str, *, noise: bool = True, phase: str = "before") -> SimulatedJob:
    """Every reading of the kit on a vehicle of the pattern, with a truth and errors that follow from the seed.

    Camber is read raw, beside the runout of the same clamp; a kit without runout has its clamps true.
    """
    rng = random.Random(f"{pattern.code}/{kit.code}/{seed}")  # noqa: S311 - made-up data
    truth = random_truth(pattern.vehicle, pattern.datum, rng, exact_ties=not noise)
    stations = kit.stations(pattern.vehicle)
    rolled = {(s.reading["axle"], s.reading["side"]) for s in stations if "positions" in s.reading}
    for axle in pattern.vehicle.axles:
        for side in SIDES:
            if (axle.number, side) not in rolled:
                truth |= {f"axles/{axle.number}/{side}/clamp/{part}_deg": 0.0 for part in ("cosine", "sine")}
    world = World(pattern.vehicle, pattern.datum, truth)
    readings = []
    for station in stations:
        reading = made(station, world.read(station, rng if noise else None), phase)
        if reading is not None:
            raw = reading.KIND == "camber" and (reading.axle, reading.side) in rolled
            readings.append({**reading.data, "clamp": "raw"} if raw else dict(reading.data))
    document = {"format": "rectaxis-job", "version": 1, **pattern.as_dict(), "readings": readings}
    return SimulatedJob(document, truth)
