"""The plan: which adjusters to move, how far and in which order, and what the vehicle and its scales then show.

Among all reachable settings it takes the least total excess over the specification's bounds, then the least cost, then
the least distance from what is preferred, then the least movement.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.effects import Change, change_for
from alignment.adjust.order import in_working_order
from alignment.adjust.scoring import EQUAL, Found, Options, Rows, Score
from alignment.adjust.search import search
from alignment.adjust.see import must_show
from alignment.estimate.solve import Estimate
from alignment.judge.results import Combination, PhaseResults, quantity_of, results_of
from alignment.judge.verdict import Rule, judge
from alignment.model.state import DEG, State
from alignment.quantities import QUANTITIES

FORMAT = "rectaxis-plan"
VERSION = 1
_WIDTHS = {"deg": 0.1, "mm": 1.0}
"""What stands for half the width of a row that has not two bounds apart (the job file's contract)."""
_MOVED = 1e-12
"""A result that changes by less, in its unit, is not changed."""


@dataclass(frozen=True)
class PlannedMove:
    """One adjuster's move. ``by`` is None for a choice.

    ``expected`` are the determined results that it changes, by path, as they are when it and the earlier moves are done;
    ``changes`` by how much it changes them.
    """

    adjuster: Adjuster
    start: float | str
    end: float | str
    by: float | None
    expected: Mapping[str, float]
    changes: Mapping[str, float]

    def as_dict(self) -> dict[str, Any]:
        """The move as the plan's file gives it."""
        start, end, by = (_whole(value) for value in (self.start, self.end, self.by))
        return {"id": self.adjuster.id, "from": start, "to": end, "by": by, "expected": dict(self.expected)}


@dataclass(frozen=True)
class Plan:
    """What to move, from the results of one phase.

    ``estimates`` are the results when all is done, with the uncertainties they have now. ``gap`` is None where it is
    certain that no plan is better.
    """

    phase: str | None
    moves: tuple[PlannedMove, ...]
    state: State
    estimates: Mapping[str, Estimate | None]
    rules: tuple[Rule, ...]
    results: PhaseResults
    score: Score
    gap: float | None = None

    @property
    def verdicts(self) -> list[dict[str, Any]]:
        """The verdicts when all is done."""
        return [judge(rule, self.estimates.get(rule.path)) for rule in self.rules]

    @property
    def cannot(self) -> list[Rule]:
        """The rows that stay outside their bounds, or that the readings do not determine."""
        return [rule for rule in self.rules if _excess(rule, self.estimates.get(rule.path)) > EQUAL]

    def as_dict(self, indices: Sequence[int] | None = None) -> dict[str, Any]:
        """The plan as the contract gives it; ``indices`` are those of the phase's readings in the job file.

        A ``gap`` is named only where it is not certain that no plan is better.
        """
        readings = self.results.solution.readings
        places = range(len(readings)) if indices is None else indices
        see = [{**shown, "reading": places[shown["reading"]]} for shown in must_show(self.state, readings)]
        cannot = []
        for rule in self.cannot:
            estimate = self.estimates.get(rule.path)
            value = None if estimate is None else estimate.value
            cannot.append(rule.as_subject() | {"value": value, "min": rule.minimum, "max": rule.maximum})
        return {
            "format": FORMAT, "version": VERSION, "phase": self.phase, "moves": [move.as_dict() for move in self.moves],
            "see": see, "verdicts": self.verdicts, "cannot": cannot,
        } | ({} if self.gap is None else {"gap": self.gap})  # fmt: skip


def _whole(value: float | str | None) -> float | str | None:
    return int(value) if isinstance(value, float) and value.is_integer() else value


def half_width(rule: Rule) -> float:
    """Half the width of a row, in its own unit: what excess and distance are counted in."""
    if rule.minimum is None or rule.maximum is None or rule.minimum == rule.maximum:
        return _WIDTHS[QUANTITIES[rule.quantity].unit]
    return (rule.maximum - rule.minimum) / 2


def _excess(rule: Rule, estimate: Estimate | None) -> float:
    """By how many half widths a value lies beyond its row's bounds; infinite where it is not known."""
    if estimate is None:
        return np.inf
    below = -np.inf if rule.minimum is None else rule.minimum - estimate.value
    above = -np.inf if rule.maximum is None else estimate.value - rule.maximum
    return max(below, above, 0.0) / half_width(rule)


def plan_excess(rules: Sequence[Rule], plan: Plan) -> float:
    """By how many half widths in total a plan ends beyond the bounds of rules, those left aside that are not determined."""
    return sum(_excess(r, estimate) for r in rules if (estimate := plan.estimates.get(r.path)) is not None)


class Problem:
    """What a plan is searched in: the rows that are determined and that an adjuster reaches, and what every setting of
    every adjuster adds to them.
    """

    def __init__(self, results: PhaseResults, rules: Sequence[Rule], adjusters: Sequence[Adjuster]) -> None:
        self.results = results
        self.adjusters = tuple(adjusters)
        self.state = results.solution.state
        self.combinations = {path: r.combination for path, r in results_of(results.solution.layout).items()}
        self.layout = results.solution.layout
        named = {path for adjuster in adjusters for path in adjuster.names}
        moved = {index for path in named for index in change_for(self.layout, {path: 1.0}).slopes(self.state)}
        self._known = [
            (rule, estimate) for rule in rules
            if (estimate := results.estimates.get(rule.path)) is not None and moved & set(self.combinations[rule.path])
        ]  # fmt: skip

    def change(self, adjuster: Adjuster, position: float | str) -> Change:
        """What standing at a position changes, from where the adjuster stands."""
        return change_for(self.layout, adjuster.effect_at(position))

    def rows(self) -> Rows:
        """The rows in half widths, from their values now."""
        widths = np.array([half_width(rule) for rule, _ in self._known])

        def column(values: list[float | None], absent: float) -> np.ndarray:
            filled = [absent if value is None else value for value in values]
            return _within_reason(np.array(filled, dtype=float), widths)

        rules = [rule for rule, _ in self._known]
        return Rows(
            column([estimate.value for _, estimate in self._known], np.nan),
            column([rule.minimum for rule in rules], -np.inf), column([rule.maximum for rule in rules], np.inf),
            column([rule.preferred for rule in rules], np.nan),
        )  # fmt: skip

    def options(self, adjuster: Adjuster) -> Options:
        """An adjuster's settings over the rows."""
        positions = adjuster.positions
        adds = np.zeros((len(positions), len(self._known)))
        if adjuster.choices is None:
            # Evenly spaced settings are multiples of one step, also to the last digit.
            step = self._row_changes(change_for(self.layout, adjuster.effect).slopes(self.state))
            turned = np.array([float(position) - float(adjuster.installed) for position in positions])
            adds = turned[:, None] * step[None, :]
        else:
            for setting, position in enumerate(positions):
                adds[setting] = self._row_changes(self.change(adjuster, position).slopes(self.state))
        movement = np.array([adjuster.steps_to(position) for position in positions])
        return Options(adds, adjuster.cost, movement, positions.index(adjuster.installed))

    def _row_changes(self, slopes: Mapping[int, float]) -> np.ndarray:
        changes = [change_of(self.combinations[r.path], slopes, r.quantity) for r, _ in self._known]
        return _within_reason(np.array(changes, dtype=float), np.array([half_width(r) for r, _ in self._known]))

    def search(self) -> Found:
        """The best settings."""
        return search(self.rows(), [self.options(adjuster) for adjuster in self.adjusters])


_LARGEST = 1e12
"""Half widths beyond this (bounds that are a billionth of a hair apart) are cut, so that sums keep nine decimals apart."""


def _within_reason(values: np.ndarray, widths: np.ndarray) -> np.ndarray:
    """Values in half widths; infinite bounds stay so."""
    with np.errstate(over="ignore"):
        shares = values / widths
    finite = np.isfinite(values)
    return np.asarray(np.where(finite, np.clip(shares, -_LARGEST, _LARGEST), values))


def change_of(combination: Combination, slopes: Mapping[int, float], quantity: str) -> float:
    """By how much a result changes, in its unit, when the unknowns change by radians and millimetres."""
    unit = DEG if QUANTITIES[quantity].unit == "deg" else 1.0
    return unit * sum(factor * slopes.get(index, 0.0) for index, factor in combination.items())


def make_plan(
    results: PhaseResults,
    rules: Sequence[Rule],
    adjusters: Sequence[Adjuster],
    phase: str | None = None,
    order: Sequence[int] | None = None,
) -> Plan:
    """The plan from the results of a phase.

    ``order`` are the axles' numbers as they are to be worked on; without it the contract's order is taken.
    """
    problem = Problem(results, rules, adjusters)
    found = problem.search()
    chosen = {a.id: a.positions[c] for a, c in zip(adjusters, found.chosen, strict=True)}
    moving = [a for a in adjusters if chosen[a.id] != a.installed]
    ordered = in_working_order(results.solution.layout, moving, order)
    state, estimates, moves = problem.state, dict(results.estimates), []
    for adjuster in ordered:
        move, estimates = _make(problem, adjuster, chosen[adjuster.id], state, estimates)
        moves.append(move)
    return Plan(phase, tuple(moves), state, estimates, tuple(rules), results, found.score, found.gap)


def _make(
    problem: Problem, adjuster: Adjuster, end: float | str, state: State, estimates: Mapping[str, Estimate | None]
) -> tuple[PlannedMove, dict[str, Estimate | None]]:
    """One move made on ``state``, in place, and the estimates after it."""
    before = list(state.x)
    problem.change(adjuster, end).apply(state)
    moved = {index: now - was for index, (now, was) in enumerate(zip(state.x, before, strict=True)) if now != was}
    after, changes = dict(estimates), {}
    for path, estimate in estimates.items():
        change = change_of(problem.combinations[path], moved, quantity_of(path))
        if estimate is not None and abs(change) > _MOVED:
            after[path], changes[path] = Estimate(estimate.value + change, estimate.u), change
    expected = {path: estimate.value for path in changes if (estimate := after[path]) is not None}
    start = adjuster.installed
    by = None if adjuster.choices is not None else round(float(end) - float(start), 9)
    return PlannedMove(adjuster, start, end, by, expected, changes), after
