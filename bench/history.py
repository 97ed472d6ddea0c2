"""Drift, jumps, promises and kits over made-up lives: ``./run bench history``."""

from __future__ import annotations

import time

import numpy as np

from alignment.history.ahead import FURTHEST_KM, Limits, next_visit
from alignment.history.drift import Drift, drift_of
from alignment.history.life import KM
from alignment.history.readers import apart
from alignment.simulate.lives import LIMIT_DEG, MadeUp, made_up_life

LIVES = 2_000
_LIMITS = Limits(-LIMIT_DEG, LIMIT_DEG)


def report(count: int = LIVES, seed: int = 17) -> None:
    """Print how often intervals hold the truth, jumps are found, promises are kept, beside two plain ways; and a kit that reads high."""
    rng = np.random.default_rng(seed)
    made = [made_up_life(rng) for _ in range(count)]
    began = time.perf_counter()
    drifts = [drift_of(one.life) for one in made]
    took = time.perf_counter() - began
    print(
        f"{count} lives of {np.mean([len(one.life.looks) for one in made]):.1f} visits, {1000 * took / count:.1f} ms each"
    )
    held = np.mean([drift.low <= one.drift <= drift.high for one, drift in zip(made, drifts, strict=True)])
    print(
        f"drift: {100 * held:.1f} % of intervals hold the truth (95 is promised); u is {_scale(made, drifts):.2f} of what it should be"
    )
    _compare(made, drifts)
    _jumps(made, drifts)
    _promises(rng, made, drifts)
    _kits(rng)


def _scale(made: list[MadeUp], drifts: list[Drift]) -> float:
    return 1 / float(np.std([(drift.rate - one.drift) / drift.u for one, drift in zip(made, drifts, strict=True)]))


def _compare(made: list[MadeUp], drifts: list[Drift]) -> None:
    """How far the drift is from the truth, by the model, by the last two readings, and by a straight line through all that was found."""
    ways = {
        "model": [drift.rate for drift in drifts],
        "last value": [_last(one) for one in made],
        "straight line": [_line(one) for one in made],
    }
    for name, rates in ways.items():
        missed = np.array(rates) - [one.drift for one in made]
        print(
            f"  {name}: {np.sqrt((missed**2).mean()):.3f}° in 10,000 km off in the mean square, half within {np.median(abs(missed)):.3f}°"
        )


def _last(one: MadeUp) -> float:
    """The change since what was left at the visit before, over what was driven."""
    before, after = one.life.looks[-2:]
    left = before.found if before.left is None else before.left
    return (after.found - left) / ((after.km - before.km) / KM)


def _line(one: MadeUp) -> float:
    looks = one.life.looks
    return float(np.polyfit([look.km / KM for look in looks], [look.found for look in looks], 1)[0])


def _jumps(made: list[MadeUp], drifts: list[Drift]) -> None:
    large = found = wrong = visits = 0
    for one, drift in zip(made, drifts, strict=True):
        said = {jump.visit for jump in drift.jumps}
        wrong += len(said - set(one.struck))
        visits += len(one.life.looks) - 1
        for visit, size in one.struck.items():
            before, after = one.life.looks[visit - 1 : visit + 1]
            apart_by = 0.0 if before.kit == after.kit else 2 * 0.02**2
            u = np.sqrt((before.left_u or before.u) ** 2 + after.u**2 + apart_by)
            if abs(size) > 4 * u:
                large, found = large + 1, found + (visit in said)
    print(
        f"jumps over 4 u: {found} of {large} found ({100 * found / large:.1f} %); said wrongly at {100 * wrong / visits:.2f} % of visits"
    )


def _promises(rng: np.random.Generator, made: list[MadeUp], drifts: list[Drift]) -> None:
    """Of those that are promised a next visit: whether the angle is still inside at it."""
    kept, spans = [], []
    for one, drift in zip(made, drifts, strict=True):
        km = next_visit(drift, _LIMITS)
        if 0 < km < FURTHEST_KM:
            spans.append(km)
            kept.append(abs(one.later(rng, km)) <= LIMIT_DEG)
    print(
        f"next visit: {100 * np.mean(kept):.1f} % still inside at it (90 is promised), after {np.median(spans):,.0f} km in the middle, of {len(kept)}"
    )
    fixed = [abs(one.later(rng, 20_000)) <= LIMIT_DEG for one in made]
    print(f"  every 20,000 km whatever was found: {100 * np.mean(fixed):.1f} %")


def _kits(rng: np.random.Generator) -> None:
    truth = {"A": 0.0, "B": 0.0, "C": 0.04}
    lives = [made_up_life(rng, truth).life for _ in range(150)]
    for one in apart(lives):
        print(
            f"kit {one.name}: {one.value:+.3f}° ± {2 * one.u:.3f}° against the middle one, by {one.lives} lives{', said' if one.said else ''}"
        )
    print("  (in truth C reads 0.04° above A and B)")
