"""How long a visit takes: from what it is, and from what visits really took.

The time is modelled as a product: what such a visit takes by general practice, times a factor for each of kit, way of working, technician
and yard. The logarithms of the factors are believed to be near nought with a spread of a quarter; what was measured moves them, the more the
more there is. That is a linear model with a normal prior, solved exactly (Bishop 2006, "Pattern recognition and machine learning", 3.3).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

SETTING_UP_MIN, AXLE_MIN = 25.0, 17.0
"""A whole visit: setting up and looking over, and each axle rolled, read, set and read again (common practice, no source)."""
TOE_SHARE = 0.45
"""A visit that reads the toe in front alone (common practice, no source)."""
SPREAD = 0.25
"""Standard deviation of the logarithm of each factor as it is believed before anything is known."""
SCATTER = 0.3
"""Standard deviation of the logarithm of one visit's time around what is usual for it, before enough is known."""
_ENOUGH = 8
"""From so many past visits on the scatter is their own."""
NINE_OF_TEN = 1.2816
"""So many standard deviations above the middle is what nine of ten stay below."""


@dataclass(frozen=True)
class Kind:
    """What a visit is: axles, the kit's code, how much (``all`` or ``toe``), who does it, where."""

    axles: int
    kit: str = ""
    scope: str = "all"
    technician: str = ""
    yard: str = ""

    @property
    def factors(self) -> tuple[tuple[str, str], ...]:
        """What it shares with others."""
        named = (
            ("kit", self.kit),
            ("scope", self.scope),
            ("technician", self.technician),
            ("yard", self.yard),
            ("axles", str(self.axles)),
        )
        return tuple(one for one in named if one[1])

    @property
    def usual(self) -> float:
        """Minutes by general practice alone."""
        return (SETTING_UP_MIN + AXLE_MIN * self.axles) * (TOE_SHARE if self.scope == "toe" else 1.0)


@dataclass(frozen=True)
class Takes:
    """Minutes: the middle, and what one of ten stays below and nine of ten stay below; learned from so many visits."""

    minutes: float
    low: float
    high: float
    learned_from: int

    def in_fives(self) -> tuple[int, int, int]:
        """The same for a time table, in steps of five minutes, the middle rounded up."""
        return 5 * math.ceil(self.minutes / 5), 5 * math.floor(self.low / 5), 5 * math.ceil(self.high / 5)


class Durations:
    """What past visits taught."""

    def __init__(self, past: Sequence[tuple[Kind, float]] = ()) -> None:
        """``past`` are visits with the minutes that they really took; those of no time are left out."""
        self._past = [(kind, minutes) for kind, minutes in past if minutes > 0]
        names = sorted({factor for kind, _ in self._past for factor in kind.factors})
        self._column = {name: index for index, name in enumerate(names, start=1)}
        rows = np.array([self._row(kind) for kind, _ in self._past]).reshape(len(self._past), len(names) + 1)
        told = np.array([math.log(minutes / kind.usual) for kind, minutes in self._past])
        self.scatter = SCATTER
        for _ in range(2):  # the scatter from the first solution weighs the second
            precision = rows.T @ rows / self.scatter**2 + np.eye(len(names) + 1) / SPREAD**2
            self._covariance = np.linalg.inv(precision)
            self._mean = self._covariance @ rows.T @ told / self.scatter**2
            if len(told) < _ENOUGH:
                break
            self.scatter = max(0.05, float(np.sqrt(np.mean((told - rows @ self._mean) ** 2))))

    def of(self, kind: Kind) -> Takes:
        """How long such a visit takes."""
        row = self._row(kind)
        middle = float(row @ self._mean)
        # A factor that was never seen may be anything that is believed of it.
        unseen = sum(1 for factor in kind.factors if factor not in self._column)
        spread = math.sqrt(
            float(row @ self._covariance @ row) + unseen * SPREAD**2 * bool(self._past) + self.scatter**2
        )
        alike = sum(1 for other, _ in self._past if other.axles == kind.axles and other.scope == kind.scope)
        minutes = kind.usual * math.exp(middle)
        return Takes(
            minutes, minutes * math.exp(-NINE_OF_TEN * spread), minutes * math.exp(NINE_OF_TEN * spread), alike
        )

    def _row(self, kind: Kind) -> np.ndarray:
        row = np.zeros(len(self._column) + 1)
        row[0] = 1.0
        for factor in kind.factors:
            if factor in self._column:
                row[self._column[factor]] = 1.0
        return row
