"""A threaded rod that sets one wheel's toe: what a flat does, and how many flats to turn.

Turning the rod by one full turn changes its length by its pitch, or by twice the pitch where it has a right-hand
thread at one end and a left-hand thread at the other. Over the arm's length that is the change of the wheel's toe.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from alignment.adjust.see import WheelTurn
from alignment.results import PhaseResults, say_path
from alignment.state import DEG, State
from alignment.vehicle import SIDES, Vehicle, side_sign, the_axle
from alignment.verdict import Rule

FLATS_PER_TURN = 6
"""A hexagon has six."""


@dataclass(frozen=True)
class TieRod:
    """A rod on one wheel.

    ``pitch_mm`` of its thread; ``double`` for right and left-hand threads at its two ends; ``arm_mm`` from the
    steering (or pivot) axis to the rod, square to the rod; ``ahead`` where the rod lies ahead of the axle;
    ``outer_thread`` (``right`` or ``left``) of the end next to the wheel.
    """

    axle: int
    side: str
    pitch_mm: float
    arm_mm: float
    double: bool = False
    ahead: bool = False
    outer_thread: str = "right"

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> TieRod:
        """A rod from a vehicle's layout. **Raises** ValueError for lengths not above 0 or an unknown word."""
        rod = cls(**data)
        if not (rod.pitch_mm > 0 and rod.arm_mm > 0):
            raise ValueError(f"expected pitch_mm and arm_mm above 0, got {rod.pitch_mm} and {rod.arm_mm}")
        if rod.outer_thread not in ("right", "left"):
            raise ValueError(f"expected outer_thread right or left, got {rod.outer_thread}")
        return rod

    @property
    def id(self) -> str:
        return f"A{self.axle} {self.side} tie rod"

    @property
    def length_per_flat_mm(self) -> float:
        """By how much one flat changes the rod's length."""
        return self.pitch_mm * (2 if self.double else 1) / FLATS_PER_TURN

    @property
    def toe_per_flat_deg(self) -> float:
        """By how much one flat that lengthens the rod changes the wheel's toe: in where the rod lies behind."""
        size = math.atan(self.length_per_flat_mm / self.arm_mm) * DEG
        return -size if self.ahead else size

    def say_thread(self) -> str:
        """The thread in words: "left-hand thread at the wheel's end, 1.25 mm pitch"."""
        ends = (
            "right and left-hand threads at its two ends"
            if self.double
            else (f"{self.outer_thread}-hand thread at the wheel's end")
        )
        return f"{ends}, {self.pitch_mm:g} mm pitch"

    def hand(self, flats: float) -> str:
        """Which way to turn the rod, seen from the wheel looking towards the middle of the vehicle.

        A positive count lengthens. In a right-hand outer thread a rod turned clockwise as seen from that end screws
        away from the viewer, out of the end, and so lengthens.
        """
        clockwise = (flats > 0) == (self.outer_thread == "right")
        return "clockwise" if clockwise else "anticlockwise"

    def as_adjuster(self, reach_flats: int = 24) -> dict[str, Any]:
        """The rod as the job file gives an adjuster."""
        effect = {f"axles/{self.axle}/{self.side}/toe_deg": self.toe_per_flat_deg}
        return {"id": self.id, "kind": "tie_rod", "unit": "flat", "min": -reach_flats, "max": reach_flats,
                "effect": effect}  # fmt: skip


@dataclass(frozen=True)
class RodMove:
    """Turn one rod by ``flats`` (whole, positive lengthens): its wheel's toe goes from ``from_deg`` to ``to_deg``."""

    rod: TieRod
    flats: int
    from_deg: float
    to_deg: float
    wanted_deg: float

    def as_turn(self) -> WheelTurn:
        """What the move does to its wheel."""
        return WheelTurn(self.rod.axle, self.rod.side, self.to_deg - self.from_deg)


@dataclass(frozen=True)
class Target:
    """Where an axle is wanted: total toe and bearing against the datum, degrees, and why."""

    axle: int
    total_toe_deg: float
    bearing_deg: float
    reason: str

    def toe_deg(self, side: str) -> float:
        """The wheel's own toe at the target."""
        return self.total_toe_deg / 2 + side_sign(side) * self.bearing_deg


def _middle(rule: Rule | None) -> float | None:
    if rule is None:
        return None
    if rule.preferred is not None:
        return rule.preferred
    if rule.minimum is not None and rule.maximum is not None:
        return (rule.minimum + rule.maximum) / 2
    return rule.minimum if rule.minimum is not None else rule.maximum


def target_for(results: PhaseResults, rules: tuple[Rule, ...], axle: int, reference: str = "all") -> Target | None:
    """Where an axle is to end, or None where the specification or the readings do not say.

    The thrust axle goes to the specification's thrust angle (0 where none is given); a steered axle is set square to
    the thrust line as it stands, so that the steering wheel ends straight. ``reference`` (as in the schools' REFERENCES)
    changes that: ``centre`` sets the front to the centre line, ``thrust`` leaves the thrust axle as it is.
    """
    vehicle = results.solution.layout.vehicle
    toe = _middle(next((r for r in rules if r.quantity == "total_toe_deg" and r.axle == axle), None))
    if toe is None:
        return None
    if axle == vehicle.thrust_axle and reference == "thrust":
        return None
    if axle == vehicle.thrust_axle:
        thrust = _middle(next((r for r in rules if r.quantity == "thrust_angle_deg"), None)) or 0.0
        along = "along the centre line" if thrust == 0 else "as the specification wants"
        return Target(axle, toe, thrust, f"Half the wanted toe on each side, pushing {along}.")
    if reference == "centre":
        return Target(axle, toe, 0.0, "Half the wanted toe on each side, along the centre line.")
    bearing = results.value("thrust_angle_deg") if vehicle.thrust_axle is not None else 0.0
    if bearing is None:
        return None
    return Target(axle, toe, bearing, "Half the wanted toe on each side, square to where the rear pushes.")


def moves_for(state: State, rods: tuple[TieRod, ...], target: Target) -> list[RodMove]:
    """How many whole flats each rod of the target's axle turns from ``state``.

    Moves of no flats are left in, so that a person sees that nothing is to be turned there.
    """
    moves = []
    for rod in rods:
        if rod.axle != target.axle:
            continue
        toe = state.toe(rod.axle, rod.side) * DEG
        wanted = target.toe_deg(rod.side)
        flats = round((wanted - toe) / rod.toe_per_flat_deg)
        moves.append(RodMove(rod, flats, toe, toe + flats * rod.toe_per_flat_deg, wanted))
    return moves


def reach_of(vehicle: Vehicle, rods: Iterable[TieRod]) -> frozenset[str]:
    """Paths of the results that the rods change: their axles' toe and bearing, and what is measured against those."""
    found: set[str] = set()
    for axle in {rod.axle for rod in rods}:
        at = f"axles/{axle}"
        found |= {f"{at}/total_toe_deg", f"{at}/bearing_deg", "steer_ahead_deg"}
        found |= {f"{at}/{side}/{name}" for side in SIDES for name in ("toe_deg", "toe_thrust_deg")}
        found |= {"thrust_angle_deg"} if axle == vehicle.thrust_axle else set()
    return frozenset(found)


def say_what_adjusts(results: PhaseResults, rods: Sequence[TieRod]) -> list[str]:
    """For each result that is outside or too close to say: where it is set, or that nothing on this vehicle sets it."""
    vehicle = results.solution.layout.vehicle
    paths, said = reach_of(vehicle, rods), []
    axles = sorted({rod.axle for rod in rods})
    for path, verdict in results.judged.items():
        if verdict not in ("outside", "undecided"):
            continue
        name = say_path(vehicle, path)
        own = [int(path.split("/")[1])] if path.startswith("axles/") else [vehicle.thrust_axle or 0]
        wanted = axles if path == "steer_ahead_deg" else own
        where = " and ".join(the_axle(vehicle, axle) for axle in wanted if axle in axles)
        how = (
            f"set at the rods of {where}"
            if path in paths
            else "nothing in its layout adjusts it: repair, or tell the owner"
        )
        said.append(f"{name[0].upper()}{name[1:]}: {how}.")
    return said
