"""Setting: how many rounds the advice saves, and how fast plans are made, by our own search and by a general solver.

``./run bench setting`` prints both; the first takes some minutes.
"""

from __future__ import annotations

import random
import statistics
import time
from concurrent.futures import ProcessPoolExecutor

from alignment.adjust.integer import solve_integer
from alignment.adjust.scoring import Options, Rows
from alignment.adjust.search import Tree, search
from alignment.simulate.technicians import GARAGE, Outcome, Yard, follow_advice, turn_a_bit
from alignment.tests.large_plans import big_truck, plates

VEHICLES = 2_000
_WAYS = ("our advice", "a bit and look, doubling", "a bit and look")


def _one(number: int) -> tuple[Outcome, ...]:
    code = list(GARAGE)[number % len(GARAGE)]
    return (
        follow_advice(Yard.make(code, number)),
        turn_a_bit(Yard.make(code, number), doubling=True),
        turn_a_bit(Yard.make(code, number), doubling=False),
    )


def report() -> None:
    """Print the tables."""
    _plans()
    with ProcessPoolExecutor(2) as pool:
        outcomes = list(pool.map(_one, range(VEHICLES), chunksize=20))
    print(f"{VEHICLES:,} vehicles: {', '.join(GARAGE)} in equal parts")
    print("| way | rounds per adjuster, median | mean | rounds per vehicle, mean | ended inside |")
    print("|---|---|---|---|---|")
    medians = []
    for way, found in zip(_WAYS, zip(*outcomes, strict=True), strict=True):
        each = [outcome.per_adjuster for outcome in found]
        medians.append(statistics.median(each))
        print(f"| {way} | {medians[-1]:.2f} | {statistics.fmean(each):.2f} | "
              f"{statistics.fmean(outcome.rounds for outcome in found):.1f} | "
              f"{statistics.fmean(outcome.inside for outcome in found):.1%} |")  # fmt: skip
    print(f"advice: {medians[0]:.2f} rounds per adjuster (aim: at most 1.3), {medians[0] / medians[1]:.2f} of the habit that "
          f"doubles its bits, {medians[0] / medians[2]:.2f} of the one that does not (aim: at most 0.5)")  # fmt: skip


def _timed(rows: Rows, options: list[Options]) -> tuple[float, float, bool, bool]:
    """Seconds of our way and of the general solver alone; whether our search sufficed, and whether both agree."""
    began = time.perf_counter()
    ours = search(rows, options)
    middle = time.perf_counter()
    theirs = solve_integer(rows, options, [option.installed for option in options])
    ended = time.perf_counter()
    alike = not (ours.score.beats(theirs.score) or theirs.score.beats(ours.score))
    return middle - began, ended - middle, Tree(rows, options).solve() is not None, alike and ours.gap is None


def _plans() -> None:
    rng = random.Random("bench")
    for name, make in (("a truck with fourteen adjusters", big_truck), ("eight mountings with nine plates", plates)):
        times = [_timed(*make(rng)) for _ in range(20)]
        ours, theirs = (sorted(column) for column in list(zip(*times, strict=True))[:2])
        print(f"{name}: {statistics.median(ours):.2f} s, slowest {ours[-1]:.2f} s (aim: under 1); the general solver alone "
              f"{statistics.median(theirs):.2f} s, slowest {theirs[-1]:.2f} s; own search sufficed in "
              f"{sum(t[2] for t in times)} of {len(times)}; certified and of one score: {sum(t[3] for t in times)}")  # fmt: skip
