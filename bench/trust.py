"""10,000 made-up jobs over all kits and axle patterns: do errors scatter as widely as is said, and are blunders named?

``./run bench trust`` prints the table of docs/method.md.
"""

from __future__ import annotations

import math
import random
import statistics
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor

from alignment.jobfile import parse, solve_phase
from alignment.patterns import Pattern, patterns
from alignment.procedure.kit import Kit, kit, kit_codes
from alignment.simulate.jobs import simulate
from alignment.simulate.trials import plant_blunder, standardised_errors

JOBS = 10_200
_95_PERCENT = 1.959964


class Tally:
    """What a share of the jobs gave: errors by quantity, and counts."""

    def __init__(self) -> None:
        self.errors: dict[str, list[float]] = defaultdict(list)
        self.counts: dict[str, int] = defaultdict(int)

    def job(self, pattern: Pattern, with_kit: Kit, seed: int) -> None:
        """One job solved; and once more with a blunder in it, where its readings check each other."""
        made = simulate(pattern, with_kit, seed, traced=True)
        if not made.document["readings"]:
            return
        results = solve_phase(parse(made.document), "before")
        self.counts["jobs"] += 1
        self.counts["consistent"] += results.solution.consistent
        self.counts["with a suspect"] += bool(results.suspects)
        for quantity, error in standardised_errors(made, results):
            self.errors[quantity].append(error)
        planted = plant_blunder(made, results, random.Random(seed))
        if planted is None:
            return
        self.counts["blunders"] += 1
        suspects = solve_phase(parse(planted.document), "before").suspects
        first = bool(suspects) and suspects[0].reading == planted.reading
        self.counts["named first"] += first
        self.counts["as guilty as the first"] += bool(suspects) and not first and planted.reading in suspects[0].alike
        self.counts["not found"] += not suspects
        if not results.solution.inseparable_from(planted.reading):
            self.counts["blunders that can be told apart"] += 1
            self.counts["of these named first"] += first

    def add(self, other: Tally) -> None:
        """Take in another share."""
        for quantity, errors in other.errors.items():
            self.errors[quantity] += errors
        for name, count in other.counts.items():
            self.counts[name] += count


def _share(part: tuple[int, int]) -> Tally:
    """Every ``of``th pair of kit and pattern, from the ``first``, as often as makes up the share."""
    first, of = part
    pairs = [(pattern, code) for code in kit_codes() for pattern in patterns().values()]
    tally = Tally()
    for number, (pattern, code) in enumerate(pairs):
        if number % of == first:
            times = JOBS // len(pairs) + (number < JOBS % len(pairs))
            for seed in range(times):
                tally.job(pattern, kit(code), 1000 * number + seed)
    return tally


def report() -> None:
    """Print the table."""
    tally = Tally()
    with ProcessPoolExecutor(2) as pool:
        for part in pool.map(_share, [(0, 2), (1, 2)]):
            tally.add(part)
    print("| quantity | results | mean error | spread | within 1.96 u |")
    print("|---|---|---|---|---|")
    for quantity, errors in sorted(tally.errors.items()):
        mean, spread = statistics.fmean(errors), statistics.pstdev(errors)
        inside = sum(abs(error) < _95_PERCENT for error in errors) / len(errors)
        print(f"| {quantity} | {len(errors):,} | {mean:+.3f} ± {1 / math.sqrt(len(errors)):.3f} | "
              f"{spread:.3f} ± {1 / math.sqrt(2 * len(errors)):.3f} | {inside:.1%} |")  # fmt: skip
    print({name: f"{count:,}" for name, count in tally.counts.items()})
    found = tally.counts["named first"] + tally.counts["as guilty as the first"]
    apart = tally.counts["of these named first"] / tally.counts["blunders that can be told apart"]
    print(f"blunders named first, where the readings can tell them apart: {apart:.1%} (aim: over 95 %); of all, named first "
          f"or as guilty as the first: {found / tally.counts['blunders']:.1%}")  # fmt: skip
