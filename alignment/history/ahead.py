"""Looking forward: how likely an angle is outside its limits after so many km, when it will be, and when to measure it again."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from alignment.history.drift import Drift, Told, below
from alignment.history.life import KM, Array

PROMISE = 0.9
"""How surely the next visit should find the angle still inside."""
FURTHEST_KM = 200_000.0
"""No visit is put off, and nothing is told, further than this."""
_STEP_KM = 1_000.0
_INTERVAL = 2.0
"""What ``Beliefs.struck`` counts as an interval between visits, in 10,000 km. Common practice, no source."""


@dataclass(frozen=True)
class Limits:
    """What an angle is allowed to be, in degrees; None where it has no limit on that side."""

    low: float | None = None
    high: float | None = None


def outside(drift: Drift, limits: Limits, km: float) -> float:
    """How likely the angle is outside its limits when ``km`` more are driven, strikes of which nobody can know among them."""
    return float(_outside(drift, limits, np.array([km]))[0])


def _outside(drift: Drift, limits: Limits, km: Array) -> Array:
    """The same (n,) for each of many distances ``km`` (n,)."""
    told, driven = drift.told, km / KM
    means, spreads = _after(told, driven[:, None])
    under = 0.0 if limits.low is None else below(told.weights, means, spreads, limits.low)
    over = 0.0 if limits.high is None else 1.0 - below(told.weights, means, spreads, limits.high)
    spared = np.exp(-drift.life.beliefs.struck * driven / _INTERVAL)
    return np.asarray(1.0 - spared * (1.0 - np.minimum(1.0, under + over)))


def expected(drift: Drift, km: float) -> tuple[float, float]:
    """The angle when ``km`` more are driven, with its standard uncertainty, in degrees; strikes are left out."""
    told = drift.told
    means, spreads = _after(told, np.array([km / KM]))
    mean = float(told.weights @ means)
    return mean, math.sqrt(float(told.weights @ (spreads**2 + (means - mean) ** 2)))


def _after(told: Told, driven: Array) -> tuple[Array, Array]:
    """For each wandering the angle and its standard deviation (n, walks), ``driven`` (n, 1) 10,000 km on."""
    of = told.covariances
    spread = of[:, 0, 0] + 2 * driven * of[:, 0, 1] + driven**2 * of[:, 1, 1] + told.walks**2 * driven
    return told.means[:, 0] + driven * told.means[:, 1], np.sqrt(spread)


def next_visit(drift: Drift, limits: Limits, promise: float = PROMISE) -> float:
    """The most km until which the angle stays inside with ``promise``; 0 where it is not so sure even now, FURTHEST_KM at the most."""
    if outside(drift, limits, 0.0) > 1.0 - promise:
        return 0.0
    reached = _reached(drift, limits, 1.0 - promise)
    return FURTHEST_KM if reached is None else reached


def leaves(drift: Drift, limits: Limits) -> tuple[float | None, float | None]:
    """Between how many km the angle will leave its limits: from where it is one in ten to be outside, to nine in ten.

    None where that is further than FURTHEST_KM.
    """
    return _reached(drift, limits, 0.1), _reached(drift, limits, 0.9)


def _reached(drift: Drift, limits: Limits, share: float) -> float | None:
    """Where the angle is outside with a share, for the first time; None where it is not within FURTHEST_KM."""
    steps = np.arange(1.0, FURTHEST_KM / _STEP_KM + 1) * _STEP_KM
    there = np.flatnonzero(_outside(drift, limits, steps) >= share)
    return float(steps[there[0]] - _STEP_KM) if len(there) else None
