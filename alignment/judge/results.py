"""From the state to what people ask: toe against a line, thrust, scrub, cross values.

Every result is a linear combination of unknowns (camber against gravity to first order), so that its uncertainty follows from
the one covariance with all correlations.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple

from alignment.errors import UnknownQuantityError
from alignment.estimate.blocks import Structure
from alignment.estimate.solve import Estimate, Readout, Solution, Suspect
from alignment.judge.leaning import CAMBER_AGAINST_GRAVITY, with_those_asked_for
from alignment.judge.swapped import swapped_heads
from alignment.judge.verdict import Rule, decide, judge
from alignment.model.state import Layout
from alignment.model.vehicle import SIDES, Vehicle, axle_name, default_datum, side_sign
from alignment.quantities import QUANTITIES
from alignment.readings import Reading
from alignment.speech import side_name

FORMAT = "rectaxis-results"
VERSION = 1

Combination = dict[int, float]


class Result(NamedTuple):
    """One quantity of a vehicle: where it stands in the results, and of which unknowns it is made."""

    path: str
    quantity: str
    combination: Combination


def _only(index: int | None, factor: float = 1.0) -> Combination:
    return {} if index is None else {index: factor}


def _sum(*parts: Combination) -> Combination:
    total: Combination = {}
    for part in parts:
        for index, factor in part.items():
            total[index] = total.get(index, 0.0) + factor
    return {index: factor for index, factor in total.items() if factor != 0.0}


def _minus(part: Combination) -> Combination:
    return {index: -factor for index, factor in part.items()}


def results_of(layout: Layout) -> dict[str, Result]:
    """Every quantity that applies to the layout's vehicle, by path, in the order of the results file."""
    vehicle = layout.vehicle
    found: list[Result] = []
    for axle in vehicle.axles:
        found += _axle_results(layout, axle.number, steers=axle.steers)
    found += _vehicle_results(layout)
    return {result.path: result for result in found}


def _axle_results(layout: Layout, axle: int, *, steers: bool) -> Iterable[Result]:
    at = f"axles/{axle}"

    def result(quantity: str, combination: Combination, side: str = "") -> Result:
        return Result(f"{at}/{side}/{quantity}" if side else f"{at}/{quantity}", quantity, combination)

    yield result("bearing_deg", _only(layout.bearing(axle)))
    yield result("total_toe_deg", _only(layout.total_toe(axle)))
    yield result("offset_mm", _only(layout.offset(axle)))
    yield result("setback_mm", _only(layout.setback(axle)))
    wheel: dict[tuple[str, str], Combination] = {}
    for side in SIDES:
        toe = _sum(_only(layout.total_toe(axle), 0.5), _only(layout.bearing(axle), side_sign(side)))
        yield result("toe_deg", toe, side)
        thrust_axle = layout.vehicle.thrust_axle
        if thrust_axle is not None:
            thrust = _only(layout.bearing(thrust_axle), -side_sign(side))
            yield result("toe_thrust_deg", _sum(toe, thrust), side)
        for name in ("camber", "caster", "sai") if steers else ("camber",):
            wheel[side, name] = _only(layout.find(f"{at}/{side}/{name}_deg"))
            yield result(f"{name}_deg", wheel[side, name], side)
        if steers:
            yield result("included_deg", _sum(wheel[side, "sai"], wheel[side, "camber"]), side)
    for name in ("camber", "caster", "sai") if steers else ("camber",):
        yield result(f"cross_{name}_deg", _sum(wheel["left", name], _minus(wheel["right", name])))
    leans = {side: _sum(wheel[side, "camber"], _ground_roll(layout, side)) for side in SIDES}
    for side in SIDES:
        yield result(CAMBER_AGAINST_GRAVITY, leans[side], side)
    yield result(f"cross_{CAMBER_AGAINST_GRAVITY}", _sum(leans["left"], _minus(leans["right"])))
    for name in (*_STEERED, *_WHERE_READ):
        yield from _where_read(layout, f"{at}/{name}")


def _ground_roll(layout: Layout, side: str) -> Combination:
    """What an unknown roll of the ground does to a camber against gravity, on ground that is nearly level."""
    return _only(layout.tilt()[0], -side_sign(side)) if layout.tilts else {}


_STEERED = (
    *(f"toe_out_{way}_turn_deg" for way in SIDES),
    *(f"{side}/lock_{end}_deg" for side in SIDES for end in ("out", "in")),
)
_WHERE_READ = ("tread_mm", "stagger_mm", "track_mm", "position_mm")


def _where_read(layout: Layout, path: str) -> Iterable[Result]:
    """The result of an unknown that only a reading of its own brings."""
    index = layout.find(path)
    if index is not None:
        yield Result(path, quantity_of(path), _only(index))


def _vehicle_results(layout: Layout) -> Iterable[Result]:
    vehicle = layout.vehicle
    thrust = _only(layout.bearing(vehicle.thrust_axle)) if vehicle.thrust_axle is not None else {}
    if thrust:
        yield Result("thrust_angle_deg", "thrust_angle_deg", thrust)
    if vehicle.group:
        share = 1.0 / len(vehicle.group)
        mean = _sum(*(_only(layout.bearing(axle), share) for axle in vehicle.group))
        yield Result("group_thrust_deg", "group_thrust_deg", mean)
    if thrust and vehicle.first_steered is not None:
        steer = _only(layout.bearing(vehicle.first_steered.number))
        yield Result("steer_ahead_deg", "steer_ahead_deg", _sum(steer, _minus(thrust)))
    for quantity, pairs in (("scrub_deg", vehicle.fixed_pairs), ("parallelism_deg", vehicle.steered_pairs)):
        for front, rear in pairs:
            difference = _sum(_only(layout.bearing(rear)), _minus(_only(layout.bearing(front))))
            yield Result(f"{quantity}/{front}-{rear}", quantity, difference)


def _readout(structure: Structure) -> tuple[tuple[str, ...], Readout]:
    """Paths of all results of a structure, and how to read them off a solution."""
    if "results" not in structure.readouts:
        wanted = results_of(structure.layout)
        combinations = [result.combination for result in wanted.values()]
        lengths = [QUANTITIES[result.quantity].unit == "mm" for result in wanted.values()]
        structure.readouts["results"] = tuple(wanted), Readout(structure, combinations, lengths)
    found: tuple[tuple[str, ...], Readout] = structure.readouts["results"]
    return found


def undetermined(structure: Structure) -> tuple[str, ...]:
    """Paths of the results that a structure's readings cannot tell, whatever they say."""
    paths, readout = _readout(structure)
    return tuple(path for path, known in zip(paths, readout.known.tolist(), strict=True) if not known)


@lru_cache(maxsize=32)
def nameable(vehicle: Vehicle) -> frozenset[str]:
    """Paths of all quantities that a specification or an effect may name on this vehicle."""
    paths = set(results_of(Layout(vehicle, default_datum(vehicle))))
    for axle in vehicle.axles:
        paths |= {f"axles/{axle.number}/{name}" for name in _WHERE_READ if (name, axle.number) != ("position_mm", 1)}
        if axle.steers:
            paths |= {f"axles/{axle.number}/{name}" for name in _STEERED}
    return frozenset(paths)


@dataclass(frozen=True)
class PhaseResults:
    """All results of one phase: ``estimates`` by path, None where undetermined.

    ``held_u_deg`` is what the holding of the steering wheel adds to the doubt of steer ahead, at the road wheels.
    """

    solution: Solution
    estimates: dict[str, Estimate | None]
    verdicts: tuple[dict[str, Any], ...]
    suspects: tuple[Suspect, ...]
    rules: tuple[Rule, ...] = ()
    held_u_deg: float = 0.0

    @classmethod
    def from_solution(cls, solution: Solution, rules: Sequence[Rule] = (), held_u_deg: float = 0.0) -> PhaseResults:
        """Results and verdicts of a solved phase."""
        paths, readout = _readout(solution.structure)
        every = dict(zip(paths, readout.of(solution), strict=True))
        estimates = with_those_asked_for(solution, every, {rule.path for rule in rules})
        ahead = estimates.get("steer_ahead_deg")
        if ahead is not None:
            estimates["steer_ahead_deg"] = Estimate(ahead.value, math.hypot(ahead.u, held_u_deg))
        verdicts = tuple(judge(rule, estimates.get(rule.path)) for rule in rules)
        return cls(solution, estimates, verdicts, tuple(solution.suspects()), tuple(rules), held_u_deg)

    @property
    def judged(self) -> dict[str, str]:
        """Verdicts by the path of what they judge."""
        return {rule.path: decide(self.estimates.get(rule.path), rule.minimum, rule.maximum) for rule in self.rules}

    def value(self, path: str) -> float | None:
        """The value at a path, None where undetermined. **Raises** UnknownQuantityError for no such path."""
        if path not in self.estimates:
            raise UnknownQuantityError(path)
        estimate = self.estimates[path]
        return None if estimate is None else estimate.value

    def as_dict(self) -> dict[str, Any]:
        """The phase as the results file gives it."""
        solution, vehicle = self.solution, self.solution.layout.vehicle
        answer: dict[str, Any] = {"axles": [{"axle": a.number, "left": {}, "right": {}} for a in vehicle.axles]}
        answer |= {name: [] for name in ("scrub_deg", "parallelism_deg")}
        for path, estimate in self.estimates.items():
            if estimate is not None:
                _place(answer, path, {"value": estimate.value + 0.0, "u": estimate.u})
        suspects = [
            {"reading": s.reading, "sigmas": s.sigmas, "message": suspicion(solution, s)} for s in self.suspects
        ]
        return answer | {
            "undetermined": [path for path, estimate in self.estimates.items() if estimate is None],
            "redundancy": solution.redundancy,
            "consistent": solution.consistent,
            "suspect": suspects,
            "verdicts": list(self.verdicts),
        }


def quantity_of(path: str) -> str:
    """The quantity that a path names: "axles/1/left/camber_deg" and "scrub_deg/2-3" name camber_deg and scrub_deg."""
    parts = path.split("/")
    return parts[-1] if parts[0] == "axles" else parts[0]


def say_path(vehicle: Vehicle, path: str) -> str:
    """What a path stands for, within a sentence: "left front camber", "scrub of axles 2 and 3"."""
    match path.split("/"):
        case ["axles", number, quantity]:
            return f"{axle_name(vehicle, int(number))} {QUANTITIES[quantity].label}"
        case ["axles", number, side, quantity]:
            return f"{side_name(side)} {axle_name(vehicle, int(number))} {QUANTITIES[quantity].label}"
        case [quantity, pair]:
            return f"{QUANTITIES[quantity].label} of axles {pair.replace('-', ' and ')}"
    return QUANTITIES[path].label


def _place(answer: dict[str, Any], path: str, entry: dict[str, Any]) -> None:
    match path.split("/"):
        case ["axles", number, quantity]:
            answer["axles"][int(number) - 1][quantity] = entry
        case ["axles", number, side, quantity]:
            answer["axles"][int(number) - 1][side][quantity] = entry
        case [quantity, pair]:
            answer[quantity].append({"axles": [int(n) for n in pair.split("-")]} | entry)
        case [quantity]:
            answer[quantity] = entry


def suspicion(solution: Solution, suspect: Suspect) -> str:
    """What disagrees and what to read again, in a sentence; where another reading may as well be wrong, that too."""
    reading = solution.readings[suspect.reading]
    millimetres = reading.unit == "mm"
    slip = abs(suspect.slip) / _most_of_a_row(reading)
    amount = f"about {slip:.1f} mm" if millimetres else f"about {slip:.2f}°"
    verb, them = ("disagree", "them") if reading.PLURAL else ("disagrees", "it")
    look = (
        "a beam that is blocked or a head that moved" if millimetres else "a loose clamp or a gauge that is not seated"
    )
    found = (
        f"The {reading.title()} {verb} with the other readings by {amount}, {suspect.sigmas:.1f} times what a careful "
        f"reading explains."
    )
    if not suspect.alike:
        return f"{found} Read {them} again and look for {look}."
    both = "both" if len(suspect.alike) == 1 else "all of them"
    others = " or the ".join(solution.readings[index].title() for index in suspect.alike)
    return f"{found} It may just as well be the {others}: these readings cannot tell which. Read {both} again and look for {look}."


def _most_of_a_row(reading: Reading) -> float:
    """By how much a row moves at most for a unit of one number read: half for half a difference of two."""
    step, shares = 1e-3, [0.0]
    before = reading.observed()
    for field in reading.FIELDS:
        if field.measured and field.what in ("length", "angle") and field.name in reading.data:
            moved = type(reading)({**reading.data, field.name: reading.data[field.name] + step})
            shares += [abs(a.value - b.value) / step for a, b in zip(moved.observed(), before, strict=True)]
    return max(shares) or 1.0


def suspicions(solution: Solution, suspects: Sequence[Suspect]) -> list[str]:
    """What disagrees, worst first, after heads that hang on each other's wheels. Readings that are as guilty as one that was
    named already are not named again.
    """
    exchanged = swapped_heads(solution) if suspects else None
    said: list[str] = [] if exchanged is None else [exchanged.say(solution)]
    named: set[int] = set()
    for suspect in suspects:
        if suspect.reading not in named:
            said.append(suspicion(solution, suspect))
            named |= {suspect.reading, *suspect.alike}
    return said
