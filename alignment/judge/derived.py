"""What follows from the results and is asked for beside them: the steering wheel, and lengths from wheel to wheel.

All are linear in the unknowns, so that their uncertainties carry every correlation.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from alignment.estimate.solve import Estimate, Solution
from alignment.judge.results import Combination, PhaseResults
from alignment.model.state import DEG, Layout
from alignment.model.vehicle import SIDES, side_sign

HELD_U_DEG = {"level": 0.7, "eye": 2.0, "detent": 0.3}
"""How far off straight a steering wheel is held, as a standard uncertainty in degrees of the wheel: by a level across its
spokes, by eye, by a pin or the rack's own detent. Common practice, no source.
"""
USUAL_RATIO = 16.0
"""How far a steering wheel turns for a degree at the road wheels, where nobody has said; common practice, no source."""


def held_u_deg(how: str, ratio: float | None = None) -> float:
    """Standard uncertainty that the holding of the steering wheel leaves in the front's heading, degrees at the road wheels.

    ``how`` is one of HELD_U_DEG; anything else counts as by eye.
    """
    return HELD_U_DEG.get(how, HELD_U_DEG["eye"]) / (ratio or USUAL_RATIO)


def runs_along(layout: Layout) -> Combination:
    """The heading along which the vehicle runs, as a sum of unknowns: the mean of the axles that do not steer and are on the
    ground (a tandem or tri-axle on equal tyres), the thrust axle, or where all axles steer the last one as it stands.
    Empty for one axle.
    """
    vehicle = layout.vehicle
    if vehicle.group:
        return {layout.bearing(axle): 1.0 / len(vehicle.group) for axle in vehicle.group}
    if vehicle.thrust_axle is not None:
        return {layout.bearing(vehicle.thrust_axle): 1.0}
    return {layout.bearing(vehicle.axles[-1].number): 1.0} if len(vehicle.axles) > 1 else {}


def heading(results: PhaseResults) -> Estimate | None:
    """Where the vehicle runs, degrees to the right of the datum line; None while unknown."""
    along = runs_along(results.solution.layout)
    return results.solution.estimate(along, length=False) if along else None


def ahead_of_heading(results: PhaseResults) -> Estimate | None:
    """How far the front points to the right of where the vehicle runs, degrees, with the steering wheel held as it was; None
    while unknown. The holding is in its uncertainty.
    """
    layout = results.solution.layout
    first, along = layout.vehicle.first_steered, runs_along(layout)
    if first is None or not along or layout.bearing(first.number) in along:
        return None
    front = {layout.bearing(first.number): 1.0}
    found = results.solution.estimate(front | {index: -share for index, share in along.items()}, length=False)
    return None if found is None else Estimate(found.value, math.hypot(found.u, results.held_u_deg))


def steering_wheel(results: PhaseResults, ratio: float, ratio_u: float = 0.0) -> Estimate | None:
    """Where the steering wheel sits on a straight road, degrees, positive turned to the right; None while unknown.

    ``ratio`` is how far it turns for one degree at the road wheels, ``ratio_u`` that figure's standard uncertainty. It
    is the angle by which the front must turn back to follow where the vehicle runs: ``-ratio · ahead``.
    **Raises** ValueError for a ratio not above 0.
    """
    if not ratio > 0:
        raise ValueError(f"expected a steering ratio above 0, got {ratio}")
    ahead = ahead_of_heading(results)
    if ahead is None:
        return None
    return Estimate(-ratio * ahead.value, math.hypot(ratio * ahead.u, ahead.value * ratio_u))


@dataclass(frozen=True)
class RearSteer:
    """How far the line of the thrust axle goes to the right over a length along the datum line, mm."""

    over_mm: float
    moved: Estimate


def rear_steer(results: PhaseResults) -> RearSteer | None:
    """Rear steer as it is read off flags: over the distance between the nearest and the furthest that its axle's beams meet.

    None where its beams do not meet two places on the frame, or the thrust angle is not known.
    """
    layout = results.solution.layout
    thrust = results.estimates.get("thrust_angle_deg")
    places = [
        reading.number("ahead_mm")
        for reading in results.solution.readings
        if reading.KIND == "outboard_pair" and reading.axle == layout.vehicle.thrust_axle
        and reading.data["on"] == "frame"
    ]  # fmt: skip
    over = max(places) - min(places) if places else 0.0
    if thrust is None or not over > 0:
        return None
    slope = math.tan(thrust.value / DEG)
    return RearSteer(over, Estimate(over * slope, over * (1 + slope * slope) * thrust.u / DEG))


@dataclass(frozen=True)
class BetweenAxles:
    """Lengths between two axles' wheels, mm; each None while the readings do not determine it.

    ``wheelbase_difference``: the wheelbase on the left less that on the right. ``step_out``: by how much the rear wheel
    stands further out than the front wheel, by side.
    """

    front: int
    rear: int
    wheelbase_difference: Estimate | None
    step_out: dict[str, Estimate | None]


def between_axles(solution: Solution, front: int, rear: int) -> BetweenAxles:
    """Lengths between the wheels of two axles. **Raises** IndexError for an axle that is not there."""
    layout = solution.layout
    # A wheel stands at -position ± setback/2 along the datum, upper sign left.
    wheelbase = solution.estimate({layout.setback(front): 1.0, layout.setback(rear): -1.0}, length=True)
    offsets = {layout.offset(rear): 1.0, layout.offset(front): -1.0}
    wider = layout.track(rear).times(0.5).plus(layout.track(front).times(-0.5))
    step_out = {}
    for side in SIDES:
        outward = {index: -side_sign(side) * factor for index, factor in offsets.items() if index is not None}
        outward |= {index: factor for factor, index in wider.unknown}
        shift = solution.estimate(outward, length=True)
        step_out[side] = None if shift is None else Estimate(wider.known + shift.value, shift.u)
    return BetweenAxles(front, rear, wheelbase, step_out)
