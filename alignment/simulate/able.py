"""Can a kit judge these figures? Tried before it is hung, on a vehicle that stands as it should: which rows of a specification it can settle, which it can never.

A row is settled where a value in the middle of its bounds would be called inside, or could be called outside. With an expanded
uncertainty U = 2u and a tolerance of width W the part (W - 2U)/W of it can be called inside; where that is nothing the kit can
only ever say "outside" or "too close to say" (ISO 14253-1, from memory).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from alignment.estimate.solve import solve
from alignment.judge.results import PhaseResults, quantity_of, say_path
from alignment.judge.verdict import COVERAGE, Rule
from alignment.model.levelling import BAR_U_DEG, EYE_U_DEG
from alignment.model.vehicle import SIDES, Datum, Vehicle
from alignment.procedure.session import CLAMP_AS_IT_COMES_DEG, carried_clamps
from alignment.procedure.station import Station
from alignment.quantities import say_size
from alignment.readings import KINDS, Reading
from alignment.readings.steering import ASSUMED_SAI_DEG
from alignment.simulate.world import World

SETTLES, HARDLY, NEVER, UNSEEN = "settles", "hardly", "never", "unseen"
"""How well a row can be judged: most of its tolerance can be called inside; little of it; nothing of it; it is not read at all."""
MOST_OF_IT = 0.5
"""A row is settled where at least this part of its tolerance can be called inside."""
_CASTER_DEG = 4.0
"""Caster of the vehicle that is imagined: what a swing tells of it hardly depends on that. Invented."""


@dataclass(frozen=True)
class Able:
    """How well one row can be judged: ``how`` is SETTLES, HARDLY, NEVER or UNSEEN, ``expanded`` the uncertainty 2u, None unseen."""

    rule: Rule
    how: str
    expanded: float | None = None

    def say(self, vehicle: Vehicle, style: str = "deg") -> str:
        """The row with what the kit makes of it: "left front camber: ± 0.52° of 1.30°"; its name alone where it is not read."""
        name = say_path(vehicle, self.rule.path)
        if self.expanded is None:
            return name
        quantity = quantity_of(self.rule.path)
        margin = say_size(quantity, self.expanded, style)
        if self.rule.minimum is None or self.rule.maximum is None:
            return f"{name}: ± {margin}"
        return f"{name}: ± {margin} of {say_size(quantity, self.rule.maximum - self.rule.minimum, style)}"


def able(
    vehicle: Vehicle,
    datum: Datum,
    stations: Sequence[Station],
    rules: Iterable[Rule],
    *,
    clamp_u_deg: float = CLAMP_AS_IT_COMES_DEG,
    level_bar: bool = True,
    held_u_deg: float = 0.0,
) -> list[Able]:
    """How well a kit's stations judge each row, everything read once: the ground by a level bar or by eye, and the steering wheel
    held as ``held_u_deg`` says.
    """
    made = PhaseResults.from_solution(
        solve(vehicle, datum, _readings(vehicle, datum, stations, clamp_u_deg, level_bar=level_bar)), (), held_u_deg
    )
    return [_able(rule, made) for rule in rules]


def _able(rule: Rule, results: PhaseResults) -> Able:
    estimate = results.estimates.get(rule.path)
    if estimate is None:
        return Able(rule, UNSEEN)
    expanded = COVERAGE * estimate.u
    if rule.minimum is None or rule.maximum is None:
        return Able(rule, SETTLES, expanded)
    width = rule.maximum - rule.minimum
    inside = (width - 2 * expanded) / width if width > 0 else 0.0
    return Able(rule, SETTLES if inside >= MOST_OF_IT else HARDLY if inside > 0 else NEVER, expanded)


def _readings(
    vehicle: Vehicle, datum: Datum, stations: Sequence[Station], clamp_u_deg: float, *, level_bar: bool
) -> list[Reading]:
    """What the stations show of a vehicle that stands as it should."""
    usual = {"caster": _CASTER_DEG, "sai": ASSUMED_SAI_DEG}
    truth = {
        f"axles/{axle.number}/{side}/{name}_deg": value
        for axle in vehicle.axles if axle.steers for side in SIDES for name, value in usual.items()
    }  # fmt: skip
    world = World(vehicle, datum, truth)
    tilt = {"roll_deg": 0.0, "pitch_deg": 0.0, "u_deg": BAR_U_DEG if level_bar else EYE_U_DEG}
    made: list[Mapping[str, object]] = [{"phase": "before", "kind": "ground", **tilt}]
    made += [world.shown(station).data for station in stations]
    rolled = {(s.reading["axle"], s.reading["side"]) for s in stations if s.reading["kind"] == "runout"}
    made += carried_clamps(made, rolled, {}, clamp_u_deg)
    return [KINDS[str(data["kind"])]({**data}) for data in made]


def said_able(found: Sequence[Able], vehicle: Vehicle, style: str = "deg") -> dict[str, list[str]]:
    """The rows in words, by how well they can be judged; ways that no row has are left out."""
    return {
        how: said
        for how in (SETTLES, HARDLY, NEVER, UNSEEN)
        if (said := [one.say(vehicle, style) for one in found if one.how == how])
    }
