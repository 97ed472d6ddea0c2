"""Whole jobs made up: every reading of a kit on a vehicle with a hidden truth, as a job file."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass
from typing import Any

from alignment.model.levelling import BAR_U_DEG, EYE_U_DEG
from alignment.model.state import DEG, LEVEL, Ground
from alignment.model.vehicle import SIDES
from alignment.patterns import Pattern
from alignment.procedure.kit import Kit
from alignment.procedure.session import carried_clamps
from alignment.readings import Reading
from alignment.simulate.truth import random_truth, rig_truth
from alignment.simulate.world import TracedWorld, World, made

_SLOPE_DEG = 0.7
"""Standard deviation of a yard's tilt where a level bar was laid. Invented."""


@dataclass(frozen=True)
class SimulatedJob:
    """A job file and the truth behind it, by names of unknowns in degrees and millimetres."""

    document: dict[str, Any]
    truth: dict[str, float]


def simulate(
    pattern: Pattern,
    kit: Kit,
    seed: int | str,
    *,
    noise: bool = True,
    level: bool = False,
    traced: bool = False,
    phase: str = "before",
) -> SimulatedJob:
    """Every reading of the kit on a vehicle of the pattern, with a truth and errors that follow from the seed.

    Clamps err by anything within the kit's own limit, in any direction, and are rolled where the kit rolls them; others
    stay as they come. Gauges have zeros of their own. The yard is level by eye, or measured with a level bar. Without
    ``noise`` everything is read exactly, and what a kit cannot see of its own tools is perfect; ``level`` ground is known to be.
    ``traced`` scales are those of rigid bodies in space; the others are what the readings predict.
    """
    rng = random.Random(f"{pattern.code}/{kit.code}/{seed}")  # noqa: S311 - made-up data
    truth = random_truth(pattern.vehicle, pattern.datum, rng, exact_ties=not noise)
    stations = kit.stations(pattern.vehicle)
    blanks = [station.blank(phase) for station in stations]
    rolled = {(r.axle, r.side) for r in blanks if r.KIND == "runout"}
    truth |= tools_truth(pattern, kit, blanks, rolled, rng, noise=noise)
    for rig in dict.fromkeys(str(blank.data["rig"]) for blank in blanks if "rig" in blank.data):
        truth |= rig_truth(pattern.vehicle, rig, truth, rng)
    ground, tilt = _ground(rng, phase, noise=noise)
    if level:
        ground, tilt = LEVEL, {**tilt, "roll_deg": 0.0, "pitch_deg": 0.0}
    truth |= {f"ground/{name}_deg": getattr(ground, name) * DEG for name in ("roll", "pitch")}
    world = (TracedWorld if traced else World)(pattern.vehicle, pattern.datum, truth, ground)
    readings: list[dict[str, Any]] = [tilt]
    for station in stations:
        reading = made(station, world.read(station, rng if noise else None), phase)
        if reading is not None:
            readings.append(dict(reading.data))
    readings += carried_clamps(readings[1:], rolled, {}, kit.clamp_u_deg)
    document = {"format": "rectaxis-job", "version": 1, **pattern.as_dict(), "readings": readings}
    return SimulatedJob(document, truth)


def tools_truth(
    pattern: Pattern,
    kit: Kit,
    blanks: list[Reading],
    rolled: set[tuple[int, str]],
    rng: random.Random,
    *,
    noise: bool = True,
) -> dict[str, float]:
    """How the kit's own tools err: each wheel's clamp, and each gauge's zero."""
    found: dict[str, float] = {}
    for axle in pattern.vehicle.axles:
        for side in SIDES:
            if (axle.number, side) in rolled:
                size, way = kit.runout_limit_deg * math.sqrt(rng.random()), rng.uniform(0, 2 * math.pi)
                parts = size * math.cos(way), size * math.sin(way)
            else:
                parts = (rng.gauss(0, kit.clamp_u_deg), rng.gauss(0, kit.clamp_u_deg)) if noise else (0.0, 0.0)
            at = f"axles/{axle.number}/{side}/clamp"
            found |= {f"{at}/cosine_deg": parts[0], f"{at}/sine_deg": parts[1]}
    for reading in blanks:
        name = f"gauges/{reading.gauge}/zero_deg"
        if reading.gauge is not None and name not in found:
            found[name] = rng.gauss(0, reading.zero_u_deg) if noise else 0.0
    return found


def _ground(rng: random.Random, phase: str, *, noise: bool) -> tuple[Ground, dict[str, Any]]:
    """What the vehicle stands on, and what is said of it: measured with a bar, or level by eye."""
    by_bar = not noise or rng.random() < 0.5  # noqa: PLR2004 - a coin
    spread, u = (_SLOPE_DEG, BAR_U_DEG) if by_bar else (EYE_U_DEG, EYE_U_DEG)
    true = [rng.gauss(0, spread) for _ in range(2)]
    read = [(angle + (rng.gauss(0, u) if noise else 0.0)) if by_bar else 0.0 for angle in true]
    said = {"phase": phase, "kind": "ground", "roll_deg": read[0], "pitch_deg": read[1], "u_deg": u}
    return Ground(true[0] / DEG, true[1] / DEG), said
