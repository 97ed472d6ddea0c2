"""One angle of a vehicle beside the same of its sisters: vehicles of one make and model that drive alike."""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from alignment.estimate.solve import Estimate
from alignment.judge.verdict import COVERAGE

FEWEST = 2
"""Of fewer sisters nobody can say what is usual."""


@dataclass(frozen=True)
class Beside:
    """The sisters' middle value and their ends, degrees; ``apart`` where the vehicle's own stands beyond all of them."""

    middle: float
    low: float
    high: float
    count: int
    apart: bool


def beside(own: Estimate, sisters: Sequence[Estimate]) -> Beside | None:
    """Where an angle stands among its sisters'; None where they are too few.

    It is apart where it lies beyond the nearest of them by more than the doubt of both together, at the coverage of every verdict.
    """
    if len(sisters) < FEWEST:
        return None
    ordered = sorted(sisters, key=lambda one: one.value)
    low, high = ordered[0], ordered[-1]
    beyond = max((low.value - own.value, low), (own.value - high.value, high), key=lambda pair: pair[0])
    apart = beyond[0] > COVERAGE * math.hypot(own.u, beyond[1].u)
    return Beside(statistics.median(one.value for one in sisters), low.value, high.value, len(sisters), apart)
