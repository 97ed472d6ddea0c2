"""How fast a tyre wears, and when it reaches the depth at which it is changed: a straight line through its shallowest place."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from alignment.history.life import KM

READ_U_MM = 0.15
"""Standard uncertainty of a depth as it is read, with where across and round the tyre it was read. Common practice, no source."""
RENEWED_MM = 1.0
"""A depth that grew by as much is another tyre's."""
_TWO = 2.0


@dataclass(frozen=True)
class Depth:
    """The shallowest depth of a tyre at an odometer."""

    km: float
    mm: float


@dataclass(frozen=True)
class Wear:
    """Wear in mm for each 10,000 km with its standard uncertainty, and between how many km from the last reading it reaches a depth.

    ``early`` and ``late`` hold 95 %; ``late`` is None where the readings allow that it never does.
    """

    per_10_000_km: float
    u: float
    early: float
    late: float | None


def this_tyre(depths: Sequence[Depth]) -> list[Depth]:
    """The depths since the tyre was last changed."""
    begins = max((n for n in range(1, len(depths)) if depths[n].mm > depths[n - 1].mm + RENEWED_MM), default=0)
    return list(depths[begins:])


def wear_of(depths: Sequence[Depth], least_mm: float) -> Wear | None:
    """The wear of one tyre, by least squares; None of fewer than two readings, of too short a way, and where nothing wore."""
    if len(depths) < 2 or depths[-1].km <= depths[0].km:  # noqa: PLR2004 - a line has two points
        return None
    driven = np.array([depth.km for depth in depths]) / KM
    spread = float(((driven - driven.mean()) ** 2).sum())
    rate = -float(((driven - driven.mean()) * [depth.mm for depth in depths]).sum()) / spread
    u = READ_U_MM / math.sqrt(spread)
    if rate <= _TWO * u:
        return None
    left = max(0.0, depths[-1].mm - least_mm)
    slowest = rate - _TWO * u
    return Wear(rate, u, KM * left / (rate + _TWO * u), KM * left / slowest if slowest > 0 else None)
