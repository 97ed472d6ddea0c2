"""Sentences of a report's first page, for a reader who manages vehicles and does not measure them."""

from __future__ import annotations

from collections.abc import Iterator

from alignment.judge.fitness import IN_ORDER, OUTSIDE, PARTLY, UNKNOWN, UNSAFE, UNSURE, Fitness
from alignment.judge.wear import Cost
from alignment.model.vehicle import Vehicle, axle_title

_ROUND_KM = 100
HEADS = {
    UNSAFE: "Do not drive until repaired",
    OUTSIDE: "Not in order",
    UNSURE: "In order as far as can be told",
    PARTLY: "In order where measured",
    IN_ORDER: "In order",
    UNKNOWN: "Cannot be said",
}
"""The answer in a few words, by the code of a fitness."""


def say_fitness(found: Fitness) -> str:
    """What the answer rests on, in one sentence or two."""
    said, missing = _say_worst(found), found.missing
    if not missing or found.code in (PARTLY, UNKNOWN, UNSAFE):
        return said
    return f"{said} {_angles(missing)} {_was(missing)} not measured."


def say_head(found: Fitness) -> str:
    """The answer in a few words."""
    if found.code == UNSURE and found.missing:
        return HEADS[UNKNOWN]
    return HEADS[found.code]


def _say_worst(found: Fitness) -> str:
    several, all_of = _angles(found.count), _angles(found.judged)
    match found.code:
        case "unsafe":  # the codes of judge/fitness.py
            return "Something on the vehicle is unsafe."
        case "outside":
            return f"{several} of {found.judged} {_is(found.count)} outside the limits."
        case "unsure":
            return f"No angle is outside for certain; {several} of {found.judged} {_is(found.count)} too close to a limit to say."
        case "partly":
            return (
                f"What was measured is inside the limits; {several} of {found.judged} {_was(found.count)} not measured."
            )
        case "in-order":
            return (
                f"All {all_of} are inside the limits."
                if found.judged > 1
                else "The one angle judged is inside its limits."
            )
    return "No angle was measured that there are limits for."


def _angles(count: int) -> str:
    return "1 angle" if count == 1 else f"{count} angles"


def _is(count: int) -> str:
    return "is" if count == 1 else "are"


def _was(count: int) -> str:
    return "was" if count == 1 else "were"


def say_cost(vehicle: Vehicle, cost: Cost) -> list[str]:
    """What leaving it as it is costs, as ranges; empty where no slip is known. ``Assumptions.say`` belongs beside it.

    Where the slip of an axle is not known, nothing is said of its tyres and of fuel but that.
    """
    if not cost.life_lost_km:
        return []
    lines, fuel = list(_tyres(vehicle, cost)), cost.fuel_l_per_100km
    if fuel is None:
        known = " and ".join(_axle(vehicle, axle) for axle in sorted(cost.life_lost_km))
        nothing = [] if lines else [f"Nothing worth naming in the tyres of {known}."]
        return [*lines, *nothing, "What the rest costs is not known: it was not measured."]
    if round(fuel.high, 1) > 0:
        lines.append(f"It burns {fuel.low:.1f} to {fuel.high:.1f} l more in 100 km.")
    return lines or ["Nothing worth naming in tyres or fuel."]


def _tyres(vehicle: Vehicle, cost: Cost) -> Iterator[str]:
    for axle, lost in sorted(cost.life_lost_km.items()):
        low, high = (round(end / _ROUND_KM) * _ROUND_KM for end in (lost.low, lost.high))
        if high > 0:
            yield f"Each tyre of {_axle(vehicle, axle)} loses {low:,.0f} to {high:,.0f} km of its life."


def _axle(vehicle: Vehicle, number: int) -> str:
    """An axle as one thing within a sentence: "the front axle", "axle 3"."""
    title = axle_title(vehicle, number)
    return title.lower() if title.startswith("Axle") else f"the {title.lower()}"
