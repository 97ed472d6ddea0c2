"""What a plan is judged by: the rows, the settings of each adjuster, and the score of one choice of settings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Indices = NDArray[np.int64]

EQUAL = 1e-9
"""Scores closer than this are equal (the job file's contract)."""


class Score(NamedTuple):
    """What a plan is judged by, in this order, each the less the better.

    ``excess`` over the rows' bounds and ``distance`` from what is preferred, in half widths; ``cost`` once for each
    adjuster moved; ``movement`` in steps.
    """

    excess: float
    cost: float
    distance: float
    movement: float

    def beats(self, other: Score) -> bool:
        """Whether this is less in the first part in which the two differ."""
        for mine, theirs in zip(self, other, strict=True):
            if abs(mine - theirs) > EQUAL:
                return mine < theirs
        return False


@dataclass(frozen=True)
class Options:
    """One adjuster's settings: what each adds to the rows (settings, rows), in half widths; the setting it stands at."""

    adds: Array
    cost: float
    movement: Array
    installed: int

    def take(self, rows: NDArray[np.bool_]) -> Options:
        """The same adjuster over some of the rows."""
        return Options(self.adds[:, rows], self.cost, self.movement, self.installed)

    @property
    def costs(self) -> Array:
        """The cost of each setting."""
        return np.where(np.arange(len(self.movement)) == self.installed, 0.0, self.cost)


@dataclass(frozen=True)
class Rows:
    """The rows, each in units of its half width: where it stands, its bounds (infinite where absent), what is preferred
    (NaN where nothing is).
    """

    base: Array
    low: Array
    high: Array
    preferred: Array

    def take(self, rows: NDArray[np.bool_] | Indices) -> Rows:
        """Some of the rows."""
        return Rows(self.base[rows], self.low[rows], self.high[rows], self.preferred[rows])

    def excess(self, least: Array, most: Array) -> Array:
        """The least excess of values between ``least`` and ``most`` (n, rows), summed over the rows."""
        return np.asarray(np.maximum(np.maximum(self.low - most, least - self.high), 0.0).sum(axis=-1))

    def distance(self, least: Array, most: Array) -> Array:
        """The least distance from what is preferred of values between ``least`` and ``most``, summed over the rows."""
        wanted = np.flatnonzero(~np.isnan(self.preferred))
        near = self.preferred[wanted]
        apart = np.maximum(np.maximum(near - most[..., wanted], least[..., wanted] - near), 0.0)
        return np.asarray(apart.sum(axis=-1))


@dataclass(frozen=True)
class Found:
    """The settings chosen, by adjuster, and their score.

    ``gap`` is None where it is certain that nothing better exists; otherwise what a better plan might still gain, in the
    part of the score that is not certain and in units of it.
    """

    chosen: tuple[int, ...]
    score: Score
    gap: float | None = None


def score_of(rows: Rows, options: Sequence[Options], chosen: Sequence[int]) -> Score:
    """The score of one setting for each adjuster."""
    values = rows.base + sum((o.adds[c] for o, c in zip(options, chosen, strict=True)), np.zeros(len(rows.base)))
    cost = sum(o.cost for o, c in zip(options, chosen, strict=True) if c != o.installed)
    movement = sum(float(o.movement[c]) for o, c in zip(options, chosen, strict=True))
    return Score(float(rows.excess(values, values)), cost, float(rows.distance(values, values)), movement)
