"""Simulated technicians: one who follows the advice, one who turns a bit and looks, on made-up vehicles whose adjusters do
not do what their dimensions say.

All of it invented, for comparing two ways of working in one run. The vehicles: every family of adjusters does between half
and twice its nominal effect (a factor drawn evenly on a logarithmic scale), each adjuster of a family within some 8 % of
that; a rod swallows up to half a flat when it is turned back; every move sticks or slips by some 3 %; readings err by their
own uncertainty.
"""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from alignment.adjust.advice import advise
from alignment.adjust.hardware import Hardware, hardware_of
from alignment.adjust.learning import Learned, Moved
from alignment.adjust.standing import Moment, Standing, result_changes
from alignment.adjust.wishes import Wishes
from alignment.estimate.solve import solve
from alignment.judge.results import PhaseResults
from alignment.judge.verdict import Rule
from alignment.model.state import Layout
from alignment.model.vehicle import SIDES, Datum, Vehicle, side_sign
from alignment.patterns import pattern
from alignment.procedure.schools import default_school
from alignment.readings import KINDS
from alignment.simulate.truth import random_truth
from alignment.simulate.world import World

MOST_ROUNDS = 60
_READ_U = 0.02
_FAMILY, _OWN, _SLIP, _PLAY_FLATS = 2.0, 0.08, 0.03, 0.5
_BIT = {"flat": 2, "shim": 1}
"""What "a bit" is, by the adjuster's unit."""
_WRONG_WAY = 0.1
"""How often signs are mixed up, and the first bit goes the wrong way. An assumption, no source."""


def _rods(axles: Sequence[int], pitch: float = 1.5, arm: float = 150.0) -> list[dict[str, object]]:
    return [
        {"kind": "tie_rod", "axle": a, "side": side, "pitch_mm": pitch, "arm_mm": arm} for a in axles for side in SIDES
    ]


def _shims(axles: Sequence[int]) -> list[dict[str, object]]:
    return [
        {"kind": "spring_shims", "axle": a, "side": side, "thickness_mm": 0.8, "lever_mm": 1500.0, "most": 10}
        for a in axles for side in SIDES
    ]  # fmt: skip


def _beam(axle: int) -> list[dict[str, object]]:
    return [
        {"kind": "track_rod", "axle": axle, "pitch_mm": 1.5, "arm_mm": 200.0},
        {"kind": "drag_link", "axle": axle, "pitch_mm": 1.5, "arm_mm": 220.0},
    ]


GARAGE: dict[str, list[dict[str, object]]] = {
    "car": _rods([1, 2]),
    "van": _rods([1, 2], 1.25, 145.0),
    "truck_4x2": _beam(1) + _shims([2]),
    "truck_6x4": _beam(1) + _shims([2, 3]),
}
"""Patterns with what adjusts on them."""


def _rules(vehicle: Vehicle, hardware: Sequence[Hardware]) -> tuple[Rule, ...]:
    """Bounds as wide as makers give them, on what the adjusters reach."""
    toes = {one.axle for one in hardware if one.KIND in ("tie_rod", "track_rod")}
    rules = [Rule("total_toe_deg", axle, minimum=0.0, maximum=0.24, preferred=0.12) for axle in sorted(toes)]
    rules.append(Rule("thrust_angle_deg", minimum=-0.1, maximum=0.1, preferred=0.0))
    rules.append(Rule("steer_ahead_deg", minimum=-0.1, maximum=0.1, preferred=0.0))
    rules += [Rule("scrub_deg", axles=pair, minimum=-0.1, maximum=0.1, preferred=0.0) for pair in vehicle.fixed_pairs]
    return tuple(rules)


@dataclass
class Yard:
    """A vehicle on the ground, with a hidden truth and adjusters that do what they do."""

    vehicle: Vehicle
    datum: Datum
    hardware: tuple[Hardware, ...]
    rules: tuple[Rule, ...]
    world: World
    shares: Mapping[str, float]
    play: Mapping[str, float]
    rng: random.Random
    positions: dict[str, float | str] = field(default_factory=dict)
    last: dict[str, float] = field(default_factory=dict)
    turned: dict[str, int] = field(default_factory=dict)

    @classmethod
    def make(cls, code: str, seed: int | str) -> Yard:
        """A made-up vehicle; the same seed gives the same vehicle."""
        rng = random.Random(f"{code}/{seed}")  # noqa: S311 - made-up data
        made = pattern(code)
        hardware = hardware_of(GARAGE[code])
        truth = random_truth(made.vehicle, made.datum, rng)
        factors = {one.family: math.exp(rng.uniform(-1, 1) * math.log(_FAMILY)) for one in hardware}
        shares = {one.id: factors[one.family] * rng.gauss(1, _OWN) for one in hardware}
        play = {one.id: rng.uniform(0, _PLAY_FLATS) if one.PLAY else 0.0 for one in hardware}
        world = World(made.vehicle, made.datum, truth)
        return cls(made.vehicle, made.datum, hardware, _rules(made.vehicle, hardware), world, shares, play, rng)

    def read(self) -> PhaseResults:
        """Every wheel's toe read once more, with new errors."""
        readings = []
        for axle in self.vehicle.axles:
            bearing, total = (self.world.truth[f"axles/{axle.number}/{q}"] for q in ("bearing_deg", "total_toe_deg"))
            for side in SIDES:
                toe = total / 2 + side_sign(side) * bearing + self.rng.gauss(0, _READ_U)
                data = {
                    "phase": "before",
                    "kind": "toe",
                    "axle": axle.number,
                    "side": side,
                    "deg": toe,
                    "u_deg": _READ_U,
                }
                readings.append(KINDS["toe"](data))
        return PhaseResults.from_solution(solve(self.vehicle, self.datum, readings), self.rules)

    def turn(self, one: Hardware, to: float) -> float:
        """Turn an adjuster to a position; answers with the sign of the move."""
        start = float(self.positions.get(one.id, one.adjuster().installed))
        by = to - start
        way = math.copysign(1.0, by)
        swallowed = self.play[one.id] if self.last.get(one.id, way) * way < 0 else 0.0
        real = way * max(0.0, abs(by) - swallowed) * self.shares[one.id] * self.rng.gauss(1, _SLIP)
        self.world.move({path: size * real for path, size in one.adjuster().effect.items()})
        self.positions[one.id], self.last[one.id] = to, way
        self.turned[one.id] = self.turned.get(one.id, 0) + 1
        return way


def inside(results: PhaseResults) -> bool:
    """Whether every judged value reads inside its bounds."""
    return all(
        (rule.minimum is None or e.value >= rule.minimum) and (rule.maximum is None or e.value <= rule.maximum)
        for rule in results.rules if (e := results.estimates[rule.path]) is not None
    )  # fmt: skip


class Outcome(NamedTuple):
    """How a technician fared: adjust-and-read rounds, adjusters turned, and whether all ended inside."""

    rounds: int
    adjusters: int
    inside: bool

    @property
    def per_adjuster(self) -> float:
        return self.rounds / max(1, self.adjusters)


def _outcome(yard: Yard, results: PhaseResults) -> Outcome:
    return Outcome(sum(yard.turned.values()), len(yard.turned), inside(results))


def follow_advice(yard: Yard) -> Outcome:
    """Turn one adjuster as advised, read again, until everything reads inside or the advice has no more to say."""
    learned = Learned.before(yard.hardware)
    order = default_school(yard.vehicle, yard.datum).order(yard.vehicle)
    history: list[tuple[Mapping[str, object], list[Moved]]] = []
    results = yard.read()
    layout = Layout(yard.vehicle, yard.datum)
    while not inside(results) and len(history) < MOST_ROUNDS:
        now = learned.after(history, results.estimates)  # type: ignore[arg-type]
        standing = Standing([Moment(results)])
        advice = advise(standing, yard.hardware, yard.positions, now, Wishes(), order, yard.last)
        if not advice.steps:
            break
        step = advice.steps[0]
        nominal = step.hardware.adjuster()
        by = float(step.to) - float(step.start)
        slack = step.hardware.PLAY / abs(by) if step.reversing else 0.0
        changes = result_changes(layout, {path: size * by for path, size in nominal.effect.items()})
        history.append((results.estimates, [Moved(step.hardware.id, changes, slack)]))
        yard.turn(step.hardware, float(step.to))
        results = yard.read()
    return _outcome(yard, results)


def _wanted(yard: Yard, one: Hardware, results: PhaseResults) -> tuple[float, float]:
    """By how much, in degrees, an adjuster's own angle is off, and how much it may be, as a technician reckons it."""
    thrust = results.value("thrust_angle_deg") or 0.0
    if one.KIND == "tie_rod":
        toe = results.value(f"axles/{one.axle}/{one.side}/toe_deg") or 0.0
        line = 0.0 if one.axle == yard.vehicle.thrust_axle else thrust
        return 0.06 + side_sign(one.side) * line - toe, 0.05
    if one.KIND == "track_rod":
        return 0.12 - (results.value(f"axles/{one.axle}/total_toe_deg") or 0.0), 0.1
    line = 0.0 if one.axle == yard.vehicle.thrust_axle else thrust
    return line - (results.value(f"axles/{one.axle}/bearing_deg") or 0.0), 0.08


def turn_a_bit(yard: Yard, *, doubling: bool) -> Outcome:
    """The habit: axle by axle, each adjuster in turn, a bit in the right direction, look; less of a bit back when it went
    past. With ``doubling`` the next bit is twice as large where less than half of the way was done.
    """
    order = default_school(yard.vehicle, yard.datum).order(yard.vehicle)
    results = yard.read()
    for _ in range(3):
        for one in sorted(yard.hardware, key=lambda part: order.index(part.axle)):
            if not inside(results):
                results = _bit_by_bit(yard, one, results, doubling=doubling)
    return _outcome(yard, results)


def _bit_by_bit(yard: Yard, one: Hardware, results: PhaseResults, *, doubling: bool) -> PhaseResults:
    nominal = one.adjuster()
    bit, first = float(_BIT[nominal.unit]), True
    sign = math.copysign(1.0, next(iter(nominal.effect.values())))
    off, may = _wanted(yard, one, results)
    while abs(off) > may and sum(yard.turned.values()) < MOST_ROUNDS:
        way = sign * math.copysign(1.0, off)
        if first and yard.rng.random() < _WRONG_WAY:
            way = -way
        first = False
        start = float(yard.positions.get(one.id, nominal.installed))
        to = min(nominal.maximum, max(nominal.minimum, start + way * bit))
        if to == start:
            break
        yard.turn(one, to)
        results = yard.read()
        was, (off, may) = off, _wanted(yard, one, results)
        if off * was < 0:
            bit = max(1.0, bit // 2)
        elif doubling and abs(off) > abs(was) / 2:
            bit = min(12.0, 2 * bit)
    return results


__all__ = ["GARAGE", "Outcome", "Yard", "follow_advice", "inside", "turn_a_bit"]
