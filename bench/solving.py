"""The core's speed: one solve against scipy.optimize.least_squares in the same run, jobs in batches, and a cold start."""

from __future__ import annotations

import gc
import json
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.linalg import cho_factor, cho_solve
from scipy.optimize import least_squares

from alignment.estimate import blocks
from alignment.estimate.solve import Solution, solve
from alignment.jobfile import JobFile, parse, solve_job
from alignment.jobfile.batch import solve_document, solve_many
from alignment.model.formula import Array, Sheet
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.simulate.jobs import simulate
from alignment.simulate.truth import random_truth
from alignment.simulate.world import World, made


def van_job() -> JobFile:
    """A van's 14 readings with flag lasers."""
    return parse(simulate(pattern("van"), kit("flag_lasers"), 1).document)


def five_axle_job(count: int = 120) -> JobFile:
    """So many readings of four kits on one five-axle truck: twin steer, lift, drive and dead axle."""
    on, rng = pattern("truck_10x2"), random.Random(5)
    world = World(on.vehicle, on.datum, random_truth(on.vehicle, on.datum, rng))
    readings = []
    for code in ("frame_gauge_lasers", "flag_lasers", "straightedge_tape", "target_cameras"):
        for station in kit(code).stations(on.vehicle):
            reading = made(station, world.read(station, rng), "before")
            if reading is None:
                continue
            raw = {"clamp": "raw"} if reading.KIND == "camber" else {}
            readings.append({**reading.data, **raw})
    return parse({"format": "rectaxis-job", "version": 1, **on.as_dict(), "readings": readings[:count]})


def by_scipy(job: JobFile) -> tuple[Callable[[], object], Solution]:
    """The same adjustment as SciPy's defaults do it: over the unknowns that are determined, numerical derivatives.

    The residual function is the same predictions; its set-up is left out of the time, in SciPy's favour. What swings take
    from other readings is left free here, which makes the problem neither larger nor harder.
    """
    solution = solve(job.vehicle, job.datum, job.readings)
    layout = solution.layout
    observed = [o for reading in job.readings for o in reading.observed()]
    values, weights = np.array([o.value for o in observed]), np.array([1 / o.u for o in observed])
    formulas = [f for reading in job.readings for f in reading.formulas(layout, solution.ground)]
    sheet = Sheet(formulas, range(len(layout.names)))
    used = [i for i, name in enumerate(layout.names) if solution.unknown(name) is not None]

    def residuals(y: Array) -> Array:
        x = np.zeros(len(layout.names))
        x[used] = y
        found: Array = (values - sheet.values(x)) * weights
        return found

    return lambda: least_squares(residuals, np.zeros(len(used)), x_scale="jac"), solution


def paired(one: Callable[[], object], other: Callable[[], object], rounds: int = 30) -> tuple[float, float, float]:
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


def compare(name: str, job: JobFile, aim: int) -> None:
    """Print one solve against SciPy's beside the ``aim``, and what the first solve of a new structure takes."""
    theirs, solution = by_scipy(job)

    def anew() -> Solution:
        blocks.forget()
        return solve(job.vehicle, job.datum, job.readings)

    ours, scipy, ratio = paired(lambda: solve(job.vehicle, job.datum, job.readings), theirs)
    first = statistics.median(_seconds(anew) for _ in range(15))
    rows = sum(len(reading.observed()) for reading in job.readings)
    print(f"solve, {name}: {len(job.readings)} readings, {rows} rows, {solution.rank} unknowns: {ours * 1e3:.2f} ms "
          f"({first * 1e3:.1f} ms for the first of its structure); scipy.optimize.least_squares {scipy * 1e3:.0f} ms; "
          f"{ratio:.0f} times faster (aim: {aim})")  # fmt: skip


def beside_the_floor(name: str, job: JobFile) -> None:
    """Print a solve as a multiple of what the linear algebra alone takes, once: Cholesky's factor of the same normal matrix, the estimate and
    its covariance; and how much of it the predictions take, whose terms are worked out in Python.
    """
    solution = solve(job.vehicle, job.datum, job.readings)
    parts = [one for one in solution._solved if one.reach.shape[1]]  # noqa: SLF001 - what the solver itself holds
    rows = [(one.reach @ np.linalg.inv(one._inverse), one.values) for one in parts]  # noqa: SLF001 - as above

    def floor() -> None:
        for matrix, values in rows:
            factor = cho_factor(matrix.T @ matrix)
            cho_solve(factor, matrix.T @ values)
            cho_solve(factor, np.eye(matrix.shape[1]))

    def predictions() -> None:
        for one in parts:
            one.block.sheet.at(one._all)  # noqa: SLF001 - as above
            one.block.sheet.values(one._all)  # noqa: SLF001 - as above

    ours, _, ratio = paired(floor, lambda: solve(job.vehicle, job.datum, job.readings))
    told = paired(predictions, lambda: solve(job.vehicle, job.datum, job.readings))
    print(
        f"solve, {name}: {ratio:.1f} times its floor of {ours * 1e3:.2f} ms (aim: 4); one round of predictions and their slopes takes "
        f"{told[0] / told[1]:.0%} of it"
    )


def _seconds(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def batches() -> None:
    """Print how many job files a second go through the batch call on two cores, from bytes to results, and what of that is solving."""
    files = [
        json.dumps(simulate(pattern("van"), kit("flag_lasers"), seed).document).encode() for seed in range(200)
    ] * 10
    rates = []
    for _ in range(3):
        start = time.perf_counter()
        answers = list(solve_many(files, processes=2))
        rates.append(len(answers) / (time.perf_counter() - start))
    job = van_job()
    _, _, whole = paired(lambda: solve(job.vehicle, job.datum, job.readings), lambda: solve_document(files[0]))
    print(
        f"batch, job files of a van with 14 readings, two processes: {statistics.median(rates):,.0f} a second (aim: 2,000); "
        f"solving takes {1 / whole:.0%} of it, reading, checking and writing the rest"
    )


def cold_start() -> None:
    """Print what ``python -m alignment solve`` takes from nothing, beside Python with NumPy alone; bytecode is compiled."""
    with tempfile.TemporaryDirectory() as folder:
        job = Path(folder) / "job.json"
        job.write_text(json.dumps(simulate(pattern("van"), kit("flag_lasers"), 1).document))
        without = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
        environment = {**without, "PYTHONPYCACHEPREFIX": folder}

        def run(*words: str) -> float:
            return _seconds(
                lambda: subprocess.run([sys.executable, *words], env=environment, check=True, capture_output=True)
            )

        ours, numpy = ("-m", "alignment", "solve", str(job)), ("-c", "import numpy")
        run(*ours)
        pairs = [(run(*ours), run(*numpy)) for _ in range(11)]
        took, bare = (statistics.median(times) for times in zip(*pairs, strict=True))
        print(
            f"cold start of python -m alignment solve: {took:.2f} s (aim: under 0.3), of which Python with NumPy {bare:.2f} s"
        )


def report() -> None:
    """Print the measurements."""
    compare("a van", van_job(), aim=25)
    compare("a five-axle truck", five_axle_job(), aim=50)
    beside_the_floor("a van", van_job())
    beside_the_floor("a five-axle truck", five_axle_job())
    job = five_axle_job()
    whole = [_seconds(lambda: solve_job(job)) for _ in range(15)]
    print(f"the same with all its results and verdicts: {statistics.median(whole) * 1e3:.2f} ms")
    batches()
    cold_start()
