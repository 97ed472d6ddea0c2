"""When a number that comes many times a second has settled, and what it then is.

A wheel that is being turned moves its number; one that was let go still sways. A number has settled when the samples of the
last two seconds scatter by no more than the device itself says that it scatters, and do not drift: a drift counts from half of
what the device knows, or from what noise alone would seldom show, where that is more. Noise is told from the differences of
neighbours, which a slow drift or a single step hardly changes (J. von Neumann, The Annals of Mathematical Statistics 12, 1941,
p. 367; from memory).
"""

from __future__ import annotations

import math
from collections import deque
from itertools import pairwise
from typing import NamedTuple

from alignment.judge.verdict import COVERAGE

WINDOW_S = 2.0
"""As long as a hand needs to leave a rod; a choice."""
FEWEST = 5
_FULL = 0.7
"""Of the window must have samples in it."""
_DRIFTS = 0.5
"""Of the device's own doubt: a smaller drift changes a mean by no more than a quarter of it."""
_SELDOM = 3.5
"""Standard deviations of a drift that is noise alone."""
_MOST_SAMPLES = 400
"""A device that says more in a window has the rest thinned out: the oldest go first."""


class Live(NamedTuple):
    """The last samples of one number. ``value`` is their mean where it has ``settled``, else the last; ``u`` its standard
    uncertainty; ``spread`` their standard deviation; ``samples`` how many.
    """

    value: float
    u: float
    spread: float
    samples: int
    settled: bool


class Window:
    """The samples of one number over the last ``seconds``."""

    def __init__(self, seconds: float = WINDOW_S) -> None:
        self.seconds = seconds
        self._samples: deque[tuple[float, float, float]] = deque(maxlen=_MOST_SAMPLES)

    def add(self, at: float, value: float, u: float) -> None:
        """A sample at a time in seconds. One that is older than the last is passed over: it came late."""
        if self._samples and at < self._samples[-1][0]:
            return
        self._samples.append((at, value, u))
        while at - self._samples[0][0] > self.seconds:
            self._samples.popleft()

    def clear(self) -> None:
        """Forget what was: the device was away, or what it measures has changed."""
        self._samples.clear()

    def now(self) -> Live | None:
        """What the samples come to; None where there is none."""
        if not self._samples:
            return None
        times, values, us = zip(*self._samples, strict=True)
        count, span, u = len(values), times[-1] - times[0], max(us)
        mean = math.fsum(values) / count
        spread = math.sqrt(math.fsum((value - mean) ** 2 for value in values) / (count - 1)) if count > 1 else 0.0
        whole = count >= FEWEST and span >= _FULL * self.seconds
        settled = whole and spread <= COVERAGE * u and _stands(times, values, u)
        # The device's own doubt stays whatever is averaged; what scatters falls with the root of the number.
        return Live(mean if settled else values[-1], math.hypot(u, spread / math.sqrt(count)), spread, count, settled)


def _stands(times: tuple[float, ...], values: tuple[float, ...], u: float) -> bool:
    """Whether the straight line that fits best does not rise or fall, from the first to the last, by more than it may."""
    middle, mean = math.fsum(times) / len(times), math.fsum(values) / len(values)
    along = math.fsum((t - middle) ** 2 for t in times)
    if not along:
        return True
    slope = math.fsum((t - middle) * (v - mean) for t, v in zip(times, values, strict=True)) / along
    span = times[-1] - times[0]
    noise = math.sqrt(math.fsum((b - a) ** 2 for a, b in pairwise(values)) / (2 * (len(values) - 1)))
    return abs(slope) * span <= max(_DRIFTS * u, _SELDOM * noise * span / math.sqrt(along))
