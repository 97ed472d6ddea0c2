"""Whether an angle stands still, drifts or has jumped, from what its visits found and left.

A linear Gaussian model (``life.equations``): the covariance of the readings follows from it, and the drift from that by conditioning
(Rasmussen and Williams, Gaussian Processes for Machine Learning, 2006, equations 2.23 and 2.24). How much the angle wanders is not
known: each size of ``Beliefs.walks`` is weighed by how well it tells the readings. Jumps of which nobody knew are looked for one after the other, by
how much likelier each makes the readings (its Bayes factor) and how often there is one; what is then said of the drift is averaged over
there being one more or one less.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr

from alignment.history.life import Array, Equations, Life, equations

STILL, DRIFTS, JUMPED, UNTOLD = "still", "drifts", "jumped", "untold"
"""What an angle does, by code."""
_SURE = -2.0
"""How much less likely than none a jump may be and is said all the same, as a logarithm of odds. Whether one was missed matters more to
a yard than one look too many: by trials (``./run bench history``) it is said wrongly at under 1 % of visits.
"""
_COUNTS = 1e-3
"""The share that a set of jumps must have to be reckoned with."""
_MOST_JUMPS = 4
_ENDS = (0.025, 0.975)


@dataclass(frozen=True)
class Jump:
    """A jump before visit ``visit`` (counted from 0) of which nobody knew, in degrees."""

    visit: int
    size: float
    u: float


@dataclass(frozen=True)
class Told:
    """What is known of an angle after its last visit: for each wandering its weight, and the angle and its drift (degrees, degrees in
    10,000 km) with their covariance. ``likely`` is the logarithm of how likely the readings were.
    """

    walks: Array
    weights: Array
    means: Array
    covariances: Array
    likely: float


@dataclass(frozen=True)
class Drift:
    """What an angle does. ``rate`` is its drift in degrees in 10,000 km with its standard uncertainty, ``low`` and ``high`` hold 95 %."""

    life: Life
    told: Told
    jumps: tuple[Jump, ...]
    rate: float
    u: float
    low: float
    high: float

    def does(self, matters: float) -> str:
        """STILL, DRIFTS, JUMPED or UNTOLD; ``matters`` is the drift in degrees in 10,000 km that is small enough to be none."""
        if self.jumps and self.jumps[-1].visit == len(self.life.looks) - 1:
            return JUMPED
        if self.low > 0 or self.high < 0:
            return DRIFTS
        if len(self.life.looks) > 1 and max(-self.low, self.high) <= matters:
            return STILL
        return UNTOLD


def drift_of(life: Life) -> Drift:
    """What an angle does, with the jumps of which nobody knew found first."""
    found: list[int] = []
    while len(found) < _MOST_JUMPS:
        gains = _gains(life.known(found))
        odds = math.log(life.beliefs.struck / (1 - life.beliefs.struck))
        best = max(gains, key=lambda visit: gains[visit], default=None)
        if best is None or gains[best] + odds < _SURE:
            break
        found.append(best)
    told = _averaged(life, found)
    rates, spreads = told.means[:, 1], np.sqrt(told.covariances[:, 1, 1])
    rate = float(told.weights @ rates)
    u = math.sqrt(float(told.weights @ (spreads**2 + (rates - rate) ** 2)))
    low, high = (quantile(told.weights, rates, spreads, share) for share in _ENDS)
    return Drift(life.known(found), told, tuple(_sizes(life, sorted(found))), rate, u, low, high)


def _averaged(life: Life, found: Sequence[int]) -> Told:
    """What is known, whether or not the jumps found are all there are: one more, and one less, each as likely as it is."""
    odds = math.log(life.beliefs.struck / (1 - life.beliefs.struck))
    sets = [tuple(found), *((*found, visit) for visit in _steps(life.known(found)))]
    sets += [tuple(other for other in found if other != one) for one in found]
    told = [_tell(equations(life.known(one)), life.beliefs.walks) for one in sets]
    likely = np.array([one.likely + odds * len(of) for one, of in zip(told, sets, strict=True)])
    shares = np.exp(likely - likely.max())
    shares /= shares.sum()
    kept = [(one, share) for one, share in zip(told, shares, strict=True) if share > _COUNTS]
    weights = np.concatenate([one.weights * share for one, share in kept])
    return Told(
        np.concatenate([one.walks for one, _ in kept]), weights / weights.sum(), np.concatenate([one.means for one, _ in kept]),
        np.concatenate([one.covariances for one, _ in kept]), float(np.logaddexp.reduce(likely)),
    )  # fmt: skip


def _tell(made: Equations, walks: Sequence[float]) -> Told:
    """The angle and its drift after the last visit, for each wandering."""
    wanted = np.zeros((2, len(made.spread)))
    wanted[0], wanted[1, made.drifts[-1]] = made.now, 1.0
    likely, means, covariances = [], [], []
    for walk in walks:
        spread = made.spread.copy()
        spread[list(made.walks)] *= walk
        scaled, asked = made.rows * spread, wanted * spread
        root = _root(scaled @ scaled.T + np.diag(made.u**2))
        both = np.linalg.solve(root, np.column_stack([made.values, scaled @ asked.T]))
        means.append(both[:, 1:].T @ both[:, 0])
        covariances.append(asked @ asked.T - both[:, 1:].T @ both[:, 1:])
        likely.append(_likely(root, both[:, 0]))
    best = max(likely)
    weights = np.exp(np.array(likely) - best)
    total = best + math.log(weights.sum() / len(walks))
    return Told(np.array(walks), weights / weights.sum(), np.array(means), np.array(covariances), total)


def _root(covariance: Array) -> Array:
    root: Array = np.linalg.cholesky(covariance)
    return root


def _likely(root: Array, whitened: Array) -> float:
    """The logarithm of a Gaussian's density, from the root of its covariance and the values divided by it."""
    logs = float(np.log(np.diag(root)).sum())
    return -0.5 * float(whitened @ whitened) - logs - 0.5 * len(whitened) * math.log(2 * math.pi)


def _gains(life: Life) -> dict[int, float]:
    """By how much each interval's jump makes the readings likelier, as a logarithm; for intervals of which nothing is known.

    A jump adds one unknown: a change of rank one, so that no matrix is solved anew (matrix determinant lemma, Sherman and Morrison).
    """
    made = equations(life)
    steps = _steps(life)
    if not steps:
        return {}
    columns = np.column_stack(list(steps.values()))
    size = life.beliefs.jump**2
    with_one, without = [], []
    for walk in life.beliefs.walks:
        root = _root(made.covariance(walk))
        both = np.linalg.solve(root, np.column_stack([made.values, columns]))
        seen, pulled = (both[:, 1:] ** 2).sum(axis=0) * size, (both[:, 1:].T @ both[:, 0]) ** 2 * size
        likely = _likely(root, both[:, 0])
        without.append(likely)
        with_one.append(likely + 0.5 * (pulled / (1 + seen) - np.log1p(seen)))
    gained = np.logaddexp.reduce(np.array(with_one), axis=0) - np.logaddexp.reduce(np.array(without))
    return dict(zip(steps, (float(gain) for gain in gained), strict=True))


def _steps(life: Life) -> dict[int, Array]:
    """For each interval of which nothing is known, by the visit that ends it, which readings a jump in it would move."""
    rows = [number for number, look in enumerate(life.looks) for _ in range(1 if look.left is None else 2)]
    open_ones = (n for n, look in enumerate(life.looks) if n and not look.struck and not look.renewed)
    return {n: (np.array(rows) >= n).astype(np.float64) for n in open_ones}


def _sizes(life: Life, found: Sequence[int]) -> list[Jump]:
    """How far each jump went: by the wandering that tells the readings best."""
    made = equations(life)
    steps = _steps(life)
    if not found:
        return []
    columns = np.column_stack([steps[visit] for visit in found])
    size = life.beliefs.jump**2
    sized = []
    for walk in life.beliefs.walks:
        covariance = made.covariance(walk) + size * columns @ columns.T
        root = _root(covariance)
        both = np.linalg.solve(root, np.column_stack([made.values, size * columns]))
        means = both[:, 1:].T @ both[:, 0]
        spread = size * np.eye(len(found)) - both[:, 1:].T @ both[:, 1:]
        sized.append((_likely(root, both[:, 0]), means, np.sqrt(np.diag(spread))))
    _, means, spreads = max(sized, key=lambda one: one[0])
    return [Jump(visit, float(mean), float(u)) for visit, mean, u in zip(found, means, spreads, strict=True)]


def quantile(weights: Array, means: Array, spreads: Array, share: float) -> float:
    """Where a mixture of Gaussians has a share below it, by halving."""
    low, high = float((means - 10 * spreads).min()), float((means + 10 * spreads).max())
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if below(weights, means, spreads, middle) < share else (low, middle)
    return (low + high) / 2


def below(weights: Array, means: Array, spreads: Array, value: float) -> Array:
    """The share (...) of mixtures of Gaussians below a value: ``weights`` (n,), ``means`` and ``spreads`` (..., n)."""
    return np.asarray(ndtr((value - means) / spreads) @ weights)
