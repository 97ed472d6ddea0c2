"""One solve against scipy.optimize.least_squares on the same readings, in the same run."""

from __future__ import annotations

import gc
import random
import statistics
import time
from collections.abc import Callable

import numpy as np
from scipy.optimize import least_squares

from alignment.procedure.kit import kit
from alignment.readings import KINDS
from alignment.simulate.world import World
from alignment.solve import solve
from alignment.state import State
from alignment.vehicle import Axle, Vehicle, default_datum

VAN = Vehicle((Axle(1, "steer", 0, 1540, steers=True), Axle(2, "drive", 2700, 1530)), thrust_axle=2)
DATUM = default_datum(VAN)
TRUTH = {"axles/1/bearing_deg": 0.2, "axles/1/total_toe_deg": 0.4, "axles/2/bearing_deg": -0.1,
         "axles/2/total_toe_deg": 0.3, "axles/1/left/camber_deg": -0.5}  # fmt: skip


def readings() -> list:
    """All readings of a van with flag lasers, with noise."""
    world, found = World(VAN, DATUM, TRUTH), []
    for station in kit("flag_lasers").stations(VAN):
        data = station.with_values(world.read(station, random.Random(station.slot)))
        found.append(KINDS[data["kind"]]({"phase": "before", **data}))
    return found


def by_scipy(given: list) -> Callable[[], object]:
    """The same adjustment as SciPy's defaults do it: over the unknowns that are determined, numerical derivatives.

    The residual function is the same predictions; its set-up is left out of the time, in SciPy's favour.
    """
    solution = solve(VAN, DATUM, given)
    layout = solution.layout
    observed = [o for reading in given for o in reading.observed()]
    values, weights = np.array([o.value for o in observed]), np.array([1 / o.u for o in observed])
    used = [i for i, name in enumerate(layout.names) if solution.unknown(name) is not None]

    def residuals(y: np.ndarray) -> np.ndarray:
        x = np.zeros(len(layout.names))
        x[used] = y
        state = State(layout, x.tolist())
        return (values - [p.value for reading in given for p in reading.predict(state)]) * weights

    return lambda: least_squares(residuals, np.zeros(len(used)), x_scale="jac")


def paired(one: Callable[[], object], other: Callable[[], object], rounds: int = 40) -> tuple[float, float, float]:
    """Median seconds of each, and the median of the ratios other/one taken pair by pair."""
    times: list[tuple[float, float]] = []
    one(), other()
    gc.disable()
    for _ in range(rounds):
        pair = []
        for work in (one, other):
            start = time.perf_counter()
            work()
            pair.append(time.perf_counter() - start)
        times.append((pair[0], pair[1]))
    gc.enable()
    firsts, seconds = zip(*times, strict=True)
    return statistics.median(firsts), statistics.median(seconds), statistics.median(b / a for a, b in times)


def report() -> None:
    """Print the comparison."""
    given = readings()
    ours, theirs, ratio = paired(lambda: solve(VAN, DATUM, given), by_scipy(given))
    print(f"solve, {len(given)} readings of a van: {ours * 1e3:.2f} ms; scipy.optimize.least_squares {theirs * 1e3:.1f} ms;"
          f" {ratio:.1f} times faster (aim: 10)")  # fmt: skip
