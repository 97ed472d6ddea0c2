"""What kits, or the people who read, differ by: found from many lives at once, for nobody measures one wheel with two kits on one day.

Between two visits an angle drifts and wanders, whatever is read; where the second is read by another kit, the difference between the two
comes on top. Each life tells a little of that, and all together tell it (generalised least squares, the lives' own unknowns eliminated).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from alignment.history.drift import Drift, drift_of
from alignment.history.life import Array, Life, equations

_SURE, _MATTERS_DEG = 3.0, 0.01
"""How many standard uncertainties apart, and by how much at least, a kit is said to read otherwise."""
_LOOSE = 5.0
"""How much further than believed kits may read apart before it is held against them."""
_ROUNDS = 2
"""A jump that is only another kit is not taken for one once it is known what the kits differ by: it is reckoned once more."""


@dataclass(frozen=True)
class Apart:
    """By how much one reads above the middle one of all, in degrees, with its standard uncertainty, and of how many lives that was told."""

    name: str
    value: float
    u: float
    lives: int

    @property
    def said(self) -> bool:
        """Whether it is more than chance, and matters."""
        return abs(self.value) > max(_SURE * self.u, _MATTERS_DEG)


def apart(lives: Sequence[Life]) -> list[Apart]:
    """By how much each kit reads above the middle one, the furthest first; empty where fewer than two were compared.

    The looks of ``lives`` name their kits. Of two kits each is said to read half the difference off: which of them is right is not told.
    """
    compared = [life for life in lives if len({look.kit for look in life.looks}) > 1]
    if not compared:
        return []
    above: dict[str, float] = {}
    for _ in range(_ROUNDS):
        drifts = [_known(life, above) for life in compared]
        names, means, covariance, counts = _solved(drifts)
        above = dict(zip(names, (float(mean) for mean in means), strict=True))
    order = np.argsort(means)
    middle = order[(len(order) - 1) // 2 : len(order) // 2 + 1]
    found = []
    for at, name in enumerate(names):
        against = np.zeros(len(names))
        against[middle] = -1.0 / len(middle)
        against[at] += 1.0
        u = math.sqrt(max(0.0, float(against @ covariance @ against)))
        found.append(Apart(name, float(against @ means), u, int(counts[at])))
    return sorted(found, key=lambda one: -abs(one.value))


def _known(life: Life, above: Mapping[str, float]) -> Drift:
    """A life as it was read, with the jumps that remain when what the kits read above each other is taken off."""
    looks = []
    for look in life.looks:
        off = above.get(look.kit, 0.0)
        looks.append(replace(look, found=look.found - off, left=None if look.left is None else look.left - off))
    drift = drift_of(replace(life, looks=tuple(looks)))
    return replace(drift, life=life.known(jump.visit for jump in drift.jumps))


def _solved(drifts: Sequence[Drift]) -> tuple[list[str], Array, Array, Array]:
    """The kits' names, by how much each reads above a truth that is common to all, the covariance of that, and how many lives told it."""
    names = sorted({look.kit for drift in drifts for look in drift.life.looks})
    place = {name: at for at, name in enumerate(names)}
    prior = _LOOSE * drifts[0].life.beliefs.kit
    known, pulled, counts = np.eye(len(names)) / prior**2, np.zeros(len(names)), np.zeros(len(names))
    for drift in drifts:
        made = equations(drift.life)
        walk = float(drift.told.walks[int(np.argmax(drift.told.weights))])
        columns = list(made.kits.values())
        root = np.linalg.cholesky(made.covariance(walk, without=columns))
        both = np.linalg.solve(root, np.column_stack([made.values, made.rows[:, columns]]))
        at = [place[name] for name in made.kits]
        known[np.ix_(at, at)] += both[:, 1:].T @ both[:, 1:]
        pulled[at] += both[:, 1:].T @ both[:, 0]
        counts[at] += 1
    covariance = np.linalg.inv(known)
    return names, covariance @ pulled, covariance, counts
