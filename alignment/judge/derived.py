"""What follows from the results and is asked for beside them: the steering wheel, and lengths from wheel to wheel.

All are linear in the unknowns, so that their uncertainties carry every correlation.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from alignment.estimate.solve import Estimate, Solution
from alignment.judge.results import PhaseResults
from alignment.model.vehicle import SIDES, side_sign


def steering_wheel(results: PhaseResults, ratio: float, ratio_u: float = 0.0) -> Estimate | None:
    """Where the steering wheel sits on a straight road, degrees, positive turned to the right; None while unknown.

    ``ratio`` is how far it turns for one degree at the road wheels, ``ratio_u`` that figure's standard uncertainty. It
    is the angle by which the front must turn back to follow the rear: ``-ratio · steer ahead``.
    **Raises** ValueError for a ratio not above 0.
    """
    if not ratio > 0:
        raise ValueError(f"expected a steering ratio above 0, got {ratio}")
    ahead = results.estimates.get("steer_ahead_deg")
    if ahead is None:
        return None
    return Estimate(-ratio * ahead.value, math.hypot(ratio * ahead.u, ahead.value * ratio_u))


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
    ahead, behind = layout.vehicle.axle(front), layout.vehicle.axle(rear)
    # A wheel stands at -position ± setback/2 along the datum, upper sign left.
    wheelbase = solution.estimate({layout.setback(front): 1.0, layout.setback(rear): -1.0}, length=True)
    offsets = {layout.offset(rear): 1.0, layout.offset(front): -1.0}
    step_out = {}
    for side in SIDES:
        outward = {index: -side_sign(side) * factor for index, factor in offsets.items() if index is not None}
        shift = solution.estimate(outward, length=True)
        wider = (behind.track_mm - ahead.track_mm) / 2
        step_out[side] = None if shift is None else Estimate(wider + shift.value, shift.u)
    return BetweenAxles(front, rear, wheelbase, step_out)
