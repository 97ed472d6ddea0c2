"""Made-up scenarios through the whole chain, without files: pictures to readings, readings to results, results against the
truth.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from alignment.camera.detect import Picture
from alignment.camera.measure import Looked, as_dict, look, measured
from alignment.camera.setups import Setup, parse
from alignment.camera.views import View
from alignment.jobfile import parse as parse_job
from alignment.jobfile import solve_phase
from alignment.judge.results import PhaseResults
from alignment.simulate.rigs import Scenario


def setup_of(scenario: Scenario, *, up: bool = True) -> Setup:
    """The scenario's set-up file, read back."""
    return parse(scenario.document(up=up), Path())


def looked_at(scenario: Scenario, setup: Setup) -> Looked:
    """What is found in the scenario's pictures."""
    pictures: dict[tuple[int, str], Picture] = {(shot, name): picture for shot, name, picture in scenario.pictures()}
    return look(setup, lambda shot, name: pictures[shot, name])


def dotted(scenario: Scenario, setup: Setup, noise: float) -> Looked:
    """The same without pictures: every dot where it is, with an error of ``noise`` pixels."""
    cameras = [camera.id for camera in setup.cameras]
    numbers = np.arange(len(scenario.kit.plate.dots))
    views = [
        View(target, shot, cameras.index(name), numbers, pixels) for target, shot, name, pixels in scenario.dots(noise)
    ]
    counts = {
        target: sum(len(view.numbers) for view in views if view.target == target)
        for target in range(len(setup.targets))
    }
    return Looked(views, counts, dict.fromkeys(counts, 0), {}, {})


def read(scenario: Scenario, *, up: bool = True, noise: float | None = None) -> dict[str, Any]:
    """The pictures-results file of a scenario; with ``noise`` from dots alone."""
    setup = setup_of(scenario, up=up)
    looked = looked_at(scenario, setup) if noise is None else dotted(scenario, setup, noise)
    return as_dict(setup, looked, measured(setup, looked))


def solved(scenario: Scenario, answer: dict[str, Any]) -> PhaseResults:
    """The readings of a scenario's pictures, solved."""
    pairs = list(zip(scenario.wheels[::2], scenario.wheels[1::2], strict=True))
    first = pairs[0][0].centre[0]
    roles = [
        {"role": "drive" if left.caster is None else "steer", "position_mm": round(float(first - left.centre[0]), -1),
         "track_mm": round(float(left.centre[1] - right.centre[1]), -1)}
        for left, right in pairs
    ]  # fmt: skip
    job = {
        "format": "rectaxis-job",
        "version": 1,
        "vehicle": {"axles": roles, "thrust_axle": len(pairs)},
        "readings": answer["readings"],
    }
    return solve_phase(parse_job(job), "before")


def errors(scenario: Scenario, answer: dict[str, Any]) -> Iterator[tuple[str, float, float]]:
    """Of each result by path: its error, and its standard uncertainty."""
    estimates = solved(scenario, answer).estimates
    for path, truth in scenario.truth().items():
        estimate = estimates.get(path)
        if estimate is not None:
            yield path, estimate.value - truth, estimate.u


def radii(scenario: Scenario, answer: dict[str, Any]) -> Iterator[tuple[str, float, float]]:
    """The same of rolling radii."""
    true = {(wheel.axle, wheel.side): wheel.radius for wheel in scenario.wheels}
    for wheel in answer["wheels"]:
        said = wheel["rolling_radius_mm"]
        yield "rolling_radius_mm", said["value"] - true[wheel["axle"], wheel["side"]], said["u"]
