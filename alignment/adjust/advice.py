"""What to move now, one move at a time: the plan from where the vehicle stands, with what was learned, and no further than
is known to be safe or can be seen.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.hardware import Hardware
from alignment.adjust.hardware.base import How
from alignment.adjust.learning import SETTLED, Belief, Learned
from alignment.adjust.order import sets_toe
from alignment.adjust.plan import Plan, PlannedMove, half_width, make_plan, plan_excess
from alignment.adjust.reach import reach_of
from alignment.adjust.scoring import EQUAL, Array
from alignment.adjust.standing import Standing, result_changes
from alignment.adjust.wishes import Wishes
from alignment.judge.results import PhaseResults
from alignment.judge.verdict import COVERAGE, Rule, chance_inside, decide

SHARES = (1.0, 0.85, 0.7, 0.55)
"""Parts of a planned move that are considered as the first one, where its effect is badly known."""
_DRAWS = 400
_WORTH = 0.03
"""A part of a move must be so much better, to be worth a further look."""
_WORTH_LEAVING_THE_SURE = 0.05
"""By how many rows more must be expected to be met, for what is surely inside to become too close to say. A choice."""
_WORTH_MOVING_AGAIN = 0.2
"""By how many rows more must be expected to be met, for what was moved to be moved again. A choice."""
_COMING_BACK = 0.5
"""What having gone past costs, against ending inside: the way back leads through play and stiction. An assumption."""


@dataclass(frozen=True)
class Step:
    """One move still to make: where the plan ends (``end``), and how far to go now (``to``).

    ``effect`` is what going there is believed to change, by path of an effect; ``changes`` the same by path of the results.
    """

    hardware: Hardware
    start: float | str
    end: float | str
    to: float | str
    effect: Mapping[str, float]
    changes: Mapping[str, float]
    belief: Belief
    reversing: bool

    @property
    def cautious(self) -> bool:
        """Whether the plan goes further, and first it is to be seen what a unit does here."""
        return self.to != self.end

    @property
    def how(self) -> How:
        """The move in words."""
        return self.hardware.how(self.start, self.to)


@dataclass(frozen=True)
class Advice:
    """What is still to be moved, in working order, and why no more.

    ``enough`` names the axles where what is left could not be seen with this kit.
    """

    steps: tuple[Step, ...]
    plan: Plan
    standing: Standing
    enough: tuple[int, ...]

    @property
    def cannot(self) -> list[Rule]:
        """Rows of the specification that stay outside whatever is moved, of those that were measured."""
        return [rule for rule in self.standing.now.rules if plan_excess([rule], self.plan) > EQUAL]

    def on(self, axle: int) -> list[Step]:
        """The steps on one axle."""
        return [step for step in self.steps if step.hardware.axle == axle]


def advise(
    standing: Standing,
    hardware: Sequence[Hardware],
    positions: Mapping[str, float | str],
    learned: Learned,
    wishes: Wishes,
    order: Sequence[int],
    last: Mapping[str, float] | None = None,
    skipped: Collection[str] = (),
) -> Advice:
    """What to move from where the vehicle stands.

    ``positions`` of adjusters that were moved, by id; ``last`` the sign of each one's last move; ``skipped`` are those
    that the technician leaves alone; ``order`` the axles' numbers as they are worked on.
    """
    results = standing.results
    free = [one for one in wishes.adjusters(results, hardware) if one.id not in skipped]
    adjusters = [_as_believed(one, positions, learned, wishes) for one in free]
    reached = reach_of(results.solution.layout.vehicle, free)
    careful, usual = (wishes.rules(results, keep_inside=keep) for keep in (True, False))
    plan = _plan(results, careful, adjusters, order, positions, reached)
    if usual != careful:
        other = _plan(results, usual, adjusters, order, positions, reached)
        judged = [rule for rule in results.rules if rule.path in reached]
        plan = other if _met(judged, other) > _met(judged, plan) + _WORTH_LEAVING_THE_SURE else plan
    by_id = {one.id: one for one in free}
    steps: list[Step] = []
    enough = []
    for axle, moves in _by_axle(plan.moves, by_id):
        if _below_sight(results, moves):
            enough.append(axle)
            continue
        share = _cautious_share(results, moves, by_id, learned)
        for move in _teaching_first(moves, learned):
            one = by_id[move.adjuster.id]
            to = _part_of(move, share) if one.GRADUAL else move.end
            effect = move.adjuster.effect_at(to)
            steps.append(
                Step(
                    one, move.start, move.end, to, effect, result_changes(results.solution.layout, effect),
                    learned.of(one.id), (last or {}).get(one.id, 0.0) * _way(move, to) < 0,
                )
            )  # fmt: skip
    return Advice(tuple(steps), plan, standing, tuple(enough))


def _plan(
    results: PhaseResults,
    rules: Sequence[Rule],
    adjusters: Sequence[Adjuster],
    order: Sequence[int],
    moved: Collection[str],
    reached: Collection[str],
) -> Plan:
    """The plan; without what was moved already, unless moving that again makes it likelier that the figures are met, or less
    is left outside.

    Otherwise the errors of each new reading would send a person back to what is done. Shims on the left of an axle do again
    what those on its right did.
    """
    plan = make_plan(results, rules, adjusters, order=order)
    again = _moving_again(adjusters, moved)
    if not any(move.adjuster.id in again for move in plan.moves):
        return plan
    kept = make_plan(results, rules, [a for a in adjusters if a.id not in again], order=order)
    # What no adjuster reaches is outside either way, and says nothing about which plan is better.
    judged = [rule for rule in results.rules if rule.path in reached]
    best, now = (plan_excess(judged, each) for each in (plan, kept))
    if best <= EQUAL and _met(judged, plan) > _met(judged, kept) + _WORTH_MOVING_AGAIN:
        return plan
    if best > EQUAL:
        # What cannot all be inside is not worth a trade between what is a little outside here or there.
        told = [COVERAGE * e.u / half_width(r) for r in judged if (e := results.estimates.get(r.path))]
        best += max(told, default=0.0)
    return kept if now <= best + EQUAL else plan


def _moving_again(adjusters: Sequence[Adjuster], moved: Collection[str]) -> frozenset[str]:
    """The adjusters that were moved, by id, and those that change nothing but what these changed."""
    done = {name for one in adjusters if one.id in moved for name in one.names}
    return frozenset(one.id for one in adjusters if one.id in moved or set(one.names) <= done)


def _met(rules: Sequence[Rule], plan: Plan) -> float:
    """How many rows of the figures are expected to be met when a plan is done."""
    known = [(rule, e) for rule in rules if (e := plan.estimates.get(rule.path)) is not None]
    return sum(chance_inside(estimate, rule.minimum, rule.maximum) for rule, estimate in known)


def _teaching_first(moves: Sequence[PlannedMove], learned: Learned) -> list[PlannedMove]:
    """An axle's moves, camber and caster before toe; of those that are badly known the shorter one first.

    A short move errs by little and teaches what the longer one needs.
    """

    def rank(move: PlannedMove) -> tuple[bool, float]:
        known = learned.of(move.adjuster.id).u <= SETTLED
        return sets_toe(move.adjuster), 0.0 if known else move.adjuster.steps_to(move.end)

    return sorted(moves, key=rank)


def _way(move: PlannedMove, to: float | str) -> float:
    return float(to) - float(move.start) if move.adjuster.choices is None else 0.0


def _as_believed(one: Hardware, positions: Mapping[str, float | str], learned: Learned, wishes: Wishes) -> Adjuster:
    """The adjuster where it stands, with the effect that it is believed to have."""
    nominal = one.adjuster()
    at = positions.get(one.id, nominal.installed)
    cost = wishes.cost(nominal, moved=one.id in positions)
    if nominal.choices is None:
        effect = learned.effect(one.id, nominal.effect)
        # A rod may have been turned beyond where a plan would stop.
        low, high = min(nominal.minimum, float(at)), max(nominal.maximum, float(at))
        return replace(nominal, installed=float(at), minimum=low, maximum=high, cost=cost, effect=effect)
    choices = {key: learned.effect(one.id, row) for key, row in nominal.choices.items()}
    return replace(nominal, installed=str(at), cost=cost, choices=choices)


def _by_axle(moves: Sequence[PlannedMove], by_id: Mapping[str, Hardware]) -> Iterator[tuple[int, list[PlannedMove]]]:
    axles = dict.fromkeys(by_id[move.adjuster.id].axle for move in moves)
    for axle in axles:
        yield axle, [move for move in moves if by_id[move.adjuster.id].axle == axle]


def _below_sight(results: PhaseResults, moves: Sequence[PlannedMove]) -> bool:
    """Whether moves change nothing that is outside, and everything by less than the readings can tell."""
    changes = _total_changes(moves)
    judged = [(rule, estimate) for rule in results.rules if (estimate := results.estimates.get(rule.path)) is not None]
    if any(rule.path in changes and decide(e, rule.minimum, rule.maximum) == "outside" for rule, e in judged):
        return False
    told = {path: estimate.u for path, estimate in results.estimates.items() if estimate is not None}
    return all(abs(change) <= COVERAGE * told[path] for path, change in changes.items() if path in told)


def _total_changes(moves: Sequence[PlannedMove]) -> dict[str, float]:
    total: dict[str, float] = {}
    for move in moves:
        for path, change in move.changes.items():
            total[path] = total.get(path, 0.0) + change
    return total


def _part_of(move: PlannedMove, share: float) -> float | str:
    """The setting that lies a share of the way to the move's end, at least one step away from its start."""
    positions = move.adjuster.positions
    here, there = positions.index(move.start), positions.index(move.end)
    steps = max(1, round(share * abs(there - here)))
    return positions[here + (steps if there > here else -steps)]


def _cautious_share(
    results: PhaseResults, moves: Sequence[PlannedMove], by_id: Mapping[str, Hardware], learned: Learned
) -> float:
    """How much of an axle's moves to make first: as much as is likely to end inside, and not likely to go past."""
    places = [learned.ids.index(move.adjuster.id) for move in moves]
    rules = [
        (rule, estimate.value)
        for rule in results.rules
        if (estimate := results.estimates.get(rule.path)) is not None and any(rule.path in m.changes for m in moves)
    ]
    gradual = any(by_id[move.adjuster.id].GRADUAL for move in moves)
    if not rules or not gradual:
        return 1.0
    mean, covariance = learned.mean[places], learned.covariance[np.ix_(places, places)]
    # The same draws every time, so that the same readings give the same advice.
    normal = np.random.default_rng(1).standard_normal((_DRAWS, len(places)))
    shares = np.maximum(0.1, mean + normal @ np.linalg.cholesky(covariance + 1e-12 * np.eye(len(places))).T) / mean
    worth = [_worth(rules, moves, shares, part) for part in SHARES]
    best = max(worth)
    return SHARES[0] if worth[0] >= best - _WORTH else SHARES[worth.index(best)]


def _worth(rules: Sequence[tuple[Rule, float]], moves: Sequence[PlannedMove], shares: Array, part: float) -> float:
    """How likely a part of the moves ends with every row inside, less what it costs to have gone past and come back."""
    inside, past = np.ones(len(shares), dtype=bool), np.zeros(len(shares), dtype=bool)
    for rule, value in rules:
        changes = np.array([part * move.changes.get(rule.path, 0.0) for move in moves])
        after = value + shares @ changes
        under = np.zeros(len(after), dtype=bool) if rule.minimum is None else after < rule.minimum
        over = np.zeros(len(after), dtype=bool) if rule.maximum is None else after > rule.maximum
        inside &= ~under & ~over
        past |= over if changes.sum() > 0 else under
    return float(inside.mean() - _COMING_BACK * past.mean())
