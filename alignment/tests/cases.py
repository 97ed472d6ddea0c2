"""Vehicles and readings that several tests share. All made up."""

from __future__ import annotations

from typing import Any

from alignment.estimate.solve import Solution, solve
from alignment.judge.results import PhaseResults
from alignment.judge.verdict import Rule
from alignment.model.state import Layout, State
from alignment.model.vehicle import Axle, Datum, Vehicle, default_datum
from alignment.readings import KINDS, Reading

WHEELBASE = 2700.0
VAN = Vehicle((Axle(1, "steer", 0, 1540, steers=True), Axle(2, "drive", WHEELBASE, 1530)), thrust_axle=2)
TRAILER = Vehicle((Axle(1, "trailer", 0, 2040, rigid=True), Axle(2, "trailer", 1310, 2040, rigid=True)), 1, -7000.0)
TRUCK = Vehicle(
    (
        Axle(1, "steer", 0, 2050, steers=True),
        Axle(2, "drive", 3800, 1830, rigid=True),
        Axle(3, "drive", 5150, 1830, rigid=True),
    ),
    thrust_axle=2,
)
FRAME = Datum("frame")


def reading(kind: str, axle: int = 1, phase: str = "before", **fields: Any) -> Reading:
    """A reading of any kind; ``axle`` only where it is of one."""
    on = {"axle": axle} if KINDS[kind].ON_AXLE else {}
    return KINDS[kind]({"phase": phase, "kind": kind, **on, **fields})


def flags(axle: int, left: float, right: float, **fields: Any) -> Reading:
    """Flags at the other axle's hubs of the van, read from heads on ``axle``."""
    ahead = -WHEELBASE if axle == 1 else WHEELBASE
    return reading("outboard_pair", axle, ahead_mm=ahead, on=3 - axle, left_mm=left, right_mm=right, **fields)


def toe_scales(axle: int, left: float, right: float, heads: str = "forward", **fields: Any) -> Reading:
    """Toe scales printed for 400 mm."""
    both = {"left_mm": left, "right_mm": right, "reference_diameter_mm": 400, "heads": heads}
    return reading("toe_scales", axle, **both, **fields)


def solved(*readings: Reading, vehicle: Vehicle = VAN, datum: Datum | None = None) -> Solution:
    """The readings solved together."""
    return solve(vehicle, datum or default_datum(vehicle), readings)


def results(*readings: Reading, rules: tuple[Rule, ...] = (), vehicle: Vehicle = VAN) -> PhaseResults:
    """The readings' results, against the vehicle's default datum."""
    return PhaseResults.from_solution(solved(*readings, vehicle=vehicle), rules)


def state_of(values: dict[str, float], *readings: Reading, vehicle: Vehicle = VAN, datum: Datum | None = None) -> State:
    """A state over the unknowns of a vehicle and some readings."""
    layout = Layout(vehicle, datum or default_datum(vehicle))
    for item in readings:
        item.declare(layout)
    return State.from_values(layout, values.items())


def as_shown(item: Reading, state: State) -> Reading:
    """The reading as its scale shows it in ``state``, without error."""
    return type(item)({**item.data, **item.shown(state)})
