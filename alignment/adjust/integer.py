"""The best settings as an integer program, handed to a general solver: for groups of adjusters too large to search.

One integer for an adjuster whose settings are evenly spaced, one yes-or-no for each setting of the others. Excess and
distance are the usual pairs of inequalities. The four parts of the score are minimised in turn, each with the parts
before held at their best.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import csr_array

from alignment.adjust.scoring import EQUAL, Array, Found, Options, Rows, Score, score_of

MOST_SECONDS = 4.0
"""For each of the four parts; what is found by then is taken, and the plan says what might still be gained."""


class _Columns(NamedTuple):
    """Where an adjuster's count of steps stands, or where its settings begin."""

    first: int
    even: bool


class _Program:
    """The program's variables and inequalities."""

    def __init__(self, rows: Rows, options: Sequence[Options]) -> None:
        self.rows, self.options = rows, options
        self.lower: list[float] = []
        self.upper: list[float] = []
        self.whole: list[int] = []
        self._entries: list[tuple[int, int, float]] = []
        self._low: list[float] = []
        self._high: list[float] = []
        self.objectives: list[dict[int, float]] = [{}, {}, {}, {}]
        self.columns = [self._adjuster(option) for option in options]
        for row in range(len(rows.base)):
            self._row(row)

    def _variable(self, low: float, high: float, *, whole: bool) -> int:
        self.lower.append(low)
        self.upper.append(high)
        self.whole.append(int(whole))
        return len(self.lower) - 1

    def _demand(self, terms: Mapping[int, float], low: float = -np.inf, high: float = np.inf) -> None:
        """That a sum of variables lies between two bounds."""
        self._entries += [(len(self._low), column, factor) for column, factor in terms.items()]
        self._low.append(low)
        self._high.append(high)

    def _adjuster(self, option: Options) -> _Columns:
        count, at = len(option.movement), option.installed
        # Where moving is paid for (a cost below 0), a count of steps would take the pay without moving.
        if option.cost < 0 or not _even(option):
            first = len(self.lower)
            self._demand(dict.fromkeys(range(first, first + count), 1.0), 1.0, 1.0)
            for setting in range(count):
                self._variable(0, 1, whole=True)
                self.objectives[1][first + setting] = float(option.costs[setting])
                self.objectives[3][first + setting] = float(option.movement[setting])
            return _Columns(first, even=False)
        steps = self._variable(-at, count - 1 - at, whole=True)
        moved, movement = self._variable(0, 1, whole=True), self._variable(0, count, whole=False)
        self._demand({steps: 1.0, moved: -float(count - 1 - at)}, high=0.0)
        self._demand({steps: 1.0, moved: float(at)}, low=0.0)
        self._demand({steps: 1.0, movement: -1.0}, high=0.0)
        self._demand({steps: 1.0, movement: 1.0}, low=0.0)
        self.objectives[1][moved] = option.cost
        self.objectives[3][movement] = 1.0
        return _Columns(steps, even=True)

    def _row(self, row: int) -> None:
        rows, base = self.rows, float(self.rows.base[row])
        value: dict[int, float] = {}
        for option, columns in zip(self.options, self.columns, strict=True):
            if columns.even:
                value[columns.first] = float(_unit(option)[row])
            else:
                value |= {columns.first + s: float(add) for s, add in enumerate(option.adds[:, row])}
        value = {column: factor for column, factor in value.items() if factor != 0}
        self._beyond(value, float(rows.low[row]) - base, float(rows.high[row]) - base, 0)
        if not np.isnan(rows.preferred[row]):
            near = float(rows.preferred[row]) - base
            self._beyond(value, near, near, 2)

    def _beyond(self, value: Mapping[int, float], low: float, high: float, part: int) -> None:
        """By how much a value lies beyond two bounds counts in a part of the score."""
        beyond = self._variable(0, np.inf, whole=False)
        if np.isfinite(high):
            self._demand({**value, beyond: -1.0}, high=high)
        if np.isfinite(low):
            self._demand({**value, beyond: 1.0}, low=low)
        self.objectives[part][beyond] = 1.0

    def hold(self, part: int, most: float) -> None:
        """That a part of the score is at most so much."""
        self._demand(self.objectives[part], high=most)

    def minimise(self, part: int) -> tuple[Array | None, float]:
        """The variables that make a part of the score least (None where none were found in time), and a bound below it."""
        entries = list(zip(*self._entries, strict=True))
        matrix = csr_array((entries[2], (entries[0], entries[1])), shape=(len(self._low), len(self.lower)))
        objective = np.zeros(len(self.lower))
        objective[list(self.objectives[part])] = list(self.objectives[part].values())
        found = milp(
            objective, integrality=self.whole, bounds=Bounds(self.lower, self.upper),
            constraints=LinearConstraint(matrix, self._low, self._high),
            options={"mip_rel_gap": 0.0, "time_limit": MOST_SECONDS},
        )  # fmt: skip
        if found.x is None:
            return None, 0.0
        bound = found.fun if found.status == 0 else found.mip_dual_bound
        return found.x, float(bound)

    def settings(self, x: Array) -> tuple[int, ...]:
        """The setting of each adjuster that the variables stand for."""
        return tuple(
            round(x[c.first]) + o.installed if c.even else int(np.argmax(x[c.first : c.first + len(o.movement)]))
            for c, o in zip(self.columns, self.options, strict=True)
        )


def _unit(option: Options) -> Array:
    """What one step adds to the rows."""
    return np.asarray(option.adds[1] - option.adds[0] if len(option.movement) > 1 else 0 * option.adds[0])


def _even(option: Options) -> bool:
    steps = np.arange(len(option.movement)) - option.installed
    evenly = np.allclose(option.adds, steps[:, None] * _unit(option), rtol=0, atol=1e-13)
    return bool(evenly and np.array_equal(option.movement, np.abs(steps)))


def solve_integer(rows: Rows, options: Sequence[Options], start: Sequence[int]) -> Found:
    """The best settings, from a good plan to ``start`` with; with a gap where the solver ran out of time or worked less
    exactly than it should.
    """
    program = _Program(rows, options)
    best, chosen = score_of(rows, options, start), tuple(start)
    gap = 0.0
    for part in range(len(Score._fields)):
        x, bound = program.minimise(part)
        if x is not None:
            found = program.settings(x)
            score = score_of(rows, options, found)
            if score.beats(best):
                best, chosen = score, found
        # The solver is exact to some 1e-7 of a half width; a bound below by more is a gap.
        gap = max(gap, best[part] - bound) if best[part] - bound > _SOLVER else gap
        program.hold(part, best[part] + EQUAL)
    return Found(chosen, best, gap or None)


_SOLVER = 1e-6
"""The solver's own tolerance."""
