"""In which order adjusters are worked on: what others are measured against first, camber and caster before toe."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.effects import axles_of
from alignment.judge.results import quantity_of
from alignment.model.state import Layout
from alignment.model.vehicle import Vehicle

TOE = frozenset(
    {"toe_deg", "toe_thrust_deg", "total_toe_deg", "bearing_deg", "thrust_angle_deg", "group_thrust_deg", "steer_ahead_deg", "scrub_deg",
     "parallelism_deg"}
)  # fmt: skip
"""Quantities that are set last on an axle, since the others move them."""


def usual_order(vehicle: Vehicle) -> list[int]:
    """The axles in the contract's order: the thrust axle, the other fixed ones, the steered ones, each from the front."""
    thrust = [] if vehicle.thrust_axle is None else [vehicle.thrust_axle]
    fixed = [axle.number for axle in vehicle.axles if not axle.steers]
    steered = [axle.number for axle in vehicle.axles if axle.steers]
    return list(dict.fromkeys([*thrust, *fixed, *steered]))


def sets_toe(adjuster: Adjuster) -> bool:
    """Whether an adjuster sets toe (or a heading, which counts as toe) and nothing that would move it."""
    quantities = {quantity_of(path) for path in adjuster.names}
    return bool(quantities) and quantities <= TOE


def axle_of(layout: Layout, adjuster: Adjuster, order: Sequence[int]) -> int | None:
    """The axle with which an adjuster is worked on: of those that it changes, the first in the order."""
    axles = {axle for path in adjuster.names for axle in axles_of(layout, path)}
    return next((axle for axle in order if axle in axles), None)


def in_working_order(
    layout: Layout, adjusters: Iterable[Adjuster], order: Sequence[int] | None = None
) -> list[Adjuster]:
    """The adjusters as they are worked on; ``order`` are the axles' numbers, the contract's order without it."""
    axles = list(order) if order is not None else usual_order(layout.vehicle)

    def rank(adjuster: Adjuster) -> tuple[int, bool]:
        axle = axle_of(layout, adjuster, axles)
        return len(axles) if axle is None else axles.index(axle), sets_toe(adjuster)

    return sorted(adjusters, key=rank)
