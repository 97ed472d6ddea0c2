"""Made-up lives of an angle, whose truth is known: what the answers about years are tried on.

They are drawn from other shapes than the estimator believes in: half of the vehicles do not drift at all, the others evenly up to a bound; an
angle may wander or not; strikes move it by at least a tenth of a degree; it is adjusted where a reading is over a limit.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.random import Generator

from alignment.history.life import KM, Life, Look

LIMIT_DEG = 0.25
_READ_U = (0.01, 0.02, 0.03, 0.05)


@dataclass(frozen=True)
class MadeUp:
    """A life and its truth: the drift (degrees in 10,000 km), the wandering, the visits before which it was struck with how far, where
    the angle stands at the end, and how far the kits read above the truth.
    """

    life: Life
    drift: float
    walk: float
    struck: Mapping[int, float]
    now: float
    kits: Mapping[str, float]

    def later(self, rng: Generator, km: float) -> float:
        """Where the angle is when ``km`` more are driven, by chance."""
        driven, at = km / KM, self.now
        if rng.random() < _STRIKES * driven / _USUAL:
            at += _strike(rng)
        return float(at + self.drift * driven + self.walk * np.sqrt(driven) * rng.normal())


_STRIKES, _USUAL = 0.03, 2.4
"""How often an interval has a strike, and how long an interval is (10,000 km)."""


def made_up_life(rng: Generator, kits: Mapping[str, float] | None = None) -> MadeUp:
    """A life of three to ten visits by two kits: those given, with how far each reads above the truth, or two at random."""
    reads = kits if kits is not None else {name: float(rng.normal(0, 0.02)) for name in ("A", "B")}
    drift, walk = float(rng.integers(2) * rng.uniform(-0.12, 0.12)), float(rng.uniform(0, 0.05))
    km, at = 60_000.0, float(rng.normal(0, 0.1))
    looks: list[Look] = []
    struck: dict[int, float] = {}
    for number in range(int(rng.integers(3, 11))):
        if number:
            driven = float(rng.uniform(0.8, 4.0))
            km += driven * KM
            at += drift * driven + walk * np.sqrt(driven) * float(rng.normal())
            if rng.random() < _STRIKES:
                struck[number] = _strike(rng)
                at += struck[number]
        look, at = _looked(rng, km, at, reads)
        looks.append(look)
    return MadeUp(Life(tuple(looks)), drift, walk, struck, at, reads)


def _looked(rng: Generator, km: float, at: float, reads: Mapping[str, float]) -> tuple[Look, float]:
    """What a visit reads, and where it leaves the angle: set near the middle, as the kit shows it, where it read outside."""
    u, kit = float(rng.choice(_READ_U)), str(rng.choice(list(reads)))
    found = at + reads[kit] + u * float(rng.normal())
    if abs(found) <= LIMIT_DEG:
        return Look(km, found, u, kit), at
    at = float(rng.normal(0, 0.03)) - reads[kit]
    return Look(km, found, u, kit, at + reads[kit] + u * float(rng.normal()), u), at


def _strike(rng: Generator) -> float:
    return float(rng.choice((-1, 1)) * rng.uniform(0.1, 0.8))
