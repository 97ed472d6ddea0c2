"""From what an adjuster is said to change to what changes on the vehicle.

An effect names quantities of the results; each that is named changes the wheels it belongs to, the changes add up, and
nothing else changes save what follows by definition. A wheel's toe turns that wheel, and with it its axle's mean heading
by half; a bearing turns both wheels alike. A quantity that compares two axles is changed at the one that is set to the
other: steer ahead at the steered axle, scrub and parallelism at the rear one.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from alignment.model.state import DEG, LEVEL, Layout, State
from alignment.model.vehicle import SIDES, Datum, Vehicle, side_sign


@dataclass(frozen=True)
class Change:
    """A change of the state: by index of the unknown, radians and millimetres.

    ``follows`` are the rigid axles whose setback follows their bearing.
    """

    unknowns: Mapping[int, float]
    follows: tuple[int, ...] = ()

    def apply(self, state: State) -> None:
        """Make the change, in place."""
        layout = state.layout
        was = {axle: state.x[layout.bearing(axle)] for axle in self.follows}
        for index, value in self.unknowns.items():
            state.x[index] += value
        for axle, bearing in was.items():
            track = layout.track(axle).at(state.x)
            now = state.x[layout.bearing(axle)]
            state.x[layout.setback(axle)] += track * (math.tan(now) - math.tan(bearing))

    def slopes(self, state: State) -> dict[int, float]:
        """The change by index of the unknown, with the setbacks that follow as they do for a small change."""
        layout, found = state.layout, dict(self.unknowns)
        for axle in self.follows:
            bearing = layout.bearing(axle)
            slope = layout.track(axle).at(state.x) * (1 + math.tan(state.x[bearing]) ** 2)
            found[layout.setback(axle)] = slope * self.unknowns[bearing]
        return found


def change_for(layout: Layout, effect: Mapping[str, float]) -> Change:
    """The change of the state that an effect, in degrees and millimetres, stands for.

    What is named without being an unknown of the layout (toe-out on turns that nobody read) is left out.
    """
    unknowns: dict[int, float] = {}
    for path, size in effect.items():
        for name, factor in _moves(layout, path):
            index = layout.find(name)
            if index is not None and size:
                scale = 1.0 if layout.lengths[index] else 1 / DEG
                unknowns[index] = unknowns.get(index, 0.0) + size * factor * scale
    follows = tuple(
        axle.number
        for axle in layout.vehicle.axles
        if axle.rigid and f"axles/{axle.number}/setback_mm" not in effect and unknowns.get(layout.bearing(axle.number))
    )
    return Change(unknowns, follows)


def unknowns_moved(vehicle: Vehicle, datum: Datum, effect: Mapping[str, float]) -> frozenset[str]:
    """The names of the unknowns that an effect changes, with the setbacks that follow; also of those that only some readings have."""
    layout = Layout(vehicle, datum)
    for path, size in effect.items():
        for name, _ in _moves(layout, path) if size else ():
            layout.add(name)
    slopes = change_for(layout, effect).slopes(State(layout, ground=LEVEL))
    return frozenset(layout.names[index] for index in slopes)


def disturbed(effect: Mapping[str, float]) -> dict[str, float]:
    """The quantities that a move leaves uncertain, by path, each with some size: what its effect names, and with a camber or a
    caster that wheel's toe, caster and inclination, since the knuckle leans and turns as one piece.
    """
    found = {path: size or 1.0 for path, size in effect.items()}
    for path in effect:
        wheel, quantity = path.rsplit("/", 1) if "/" in path else ("", path)
        if quantity in _LEANS:
            found |= {f"{wheel}/{name}_deg": 1.0 for name in ("toe", "caster", "sai")} | found
    return found


_LEANS = ("camber_deg", "camber_gravity_deg", "caster_deg", "sai_deg", "included_deg")


def _moves(layout: Layout, path: str) -> Iterable[tuple[str, float]]:
    """The unknowns that one unit of a quantity moves, by name."""
    match path.split("/"):
        case ["axles", axle, side, "toe_deg" | "toe_thrust_deg"]:
            yield f"axles/{axle}/total_toe_deg", 1.0
            yield f"axles/{axle}/bearing_deg", side_sign(side) / 2
        case ["axles", axle, side, "included_deg" | "camber_gravity_deg"]:
            yield f"axles/{axle}/{side}/camber_deg", 1.0
        case ["axles", axle, str(cross)] if cross.startswith("cross_"):
            for side in SIDES:
                for name, share in _moves(layout, f"axles/{axle}/{side}/{cross.removeprefix('cross_')}"):
                    yield name, side_sign(side) * share / 2
        case ["axles", *_]:
            yield path, 1.0
        case ["group_thrust_deg"]:
            for number in layout.vehicle.group:
                yield f"axles/{number}/bearing_deg", 1.0
        case _:
            yield f"axles/{axles_of(layout, path)[-1]}/bearing_deg", 1.0


def axles_of(layout: Layout, path: str) -> tuple[int, ...]:
    """The axles that a quantity belongs to."""
    match path.split("/"):
        case ["axles", number, *_]:
            return (int(number),)
        case [_, pair]:
            return tuple(int(number) for number in pair.split("-"))
        case ["group_thrust_deg"]:
            return layout.vehicle.group
        case ["thrust_angle_deg"]:
            return (layout.vehicle.thrust_axle or 0,)
    return (layout.vehicle.first_steered.number if layout.vehicle.first_steered else 0,)
