"""When a number that comes many times a second has settled, and what it then is.

A wheel that is being turned moves its number; one that was let go still sways. A number has settled when the samples of the
last two seconds scatter by no more than the device itself says that it scatters, and do not drift.
"""

from __future__ import annotations

import math
from collections import deque
from typing import NamedTuple

from alignment.judge.verdict import COVERAGE

WINDOW_S = 2.0
"""As long as a hand needs to leave a rod; a choice."""
FEWEST = 5
_FULL = 0.7
"""Of the window must have samples in it."""
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
        settled = whole and spread <= COVERAGE * u and abs(_drift(times, values)) <= COVERAGE * u
        # The device's own doubt stays whatever is averaged; what scatters falls with the root of the number.
        return Live(mean if settled else values[-1], math.hypot(u, spread / math.sqrt(count)), spread, count, settled)


def _drift(times: tuple[float, ...], values: tuple[float, ...]) -> float:
    """By how much the values move from the first to the last, along the straight line that fits them best."""
    middle, mean = math.fsum(times) / len(times), math.fsum(values) / len(values)
    along = math.fsum((t - middle) ** 2 for t in times)
    slope = math.fsum((t - middle) * (v - mean) for t, v in zip(times, values, strict=True)) / along if along else 0.0
    return slope * (times[-1] - times[0])
