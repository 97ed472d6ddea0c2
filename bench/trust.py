"""10,000 made-up jobs over all kits and axle patterns: do errors scatter as widely as is said, and are blunders named?

``./run bench trust`` prints the tables of docs/method.md. The truth is rigid bodies in space, not the readings' own formulas;
what is planted is said by ``alignment.simulate.jobs`` and below.
"""

from __future__ import annotations

import math
import random
import statistics
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor

from alignment.jobfile import parse, solve_phase
from alignment.judge.derived import HELD_U_DEG, held_u_deg
from alignment.judge.results import PhaseResults, quantity_of
from alignment.patterns import Pattern, patterns
from alignment.procedure.kit import Kit, kit, kit_codes
from alignment.simulate.jobs import simulate
from alignment.simulate.trials import plant_blunder, standardised_errors
from alignment.simulate.visits import ENTRIES, MadeUpVisit

JOBS = 10_200
VISITS = 1_500
_95_PERCENT = 1.959964
_RATIO = 16.0
"""Of the steering; the wheel is held by a level."""


class Tally:
    """What a share of the jobs gave: errors by table and row, and counts."""

    def __init__(self) -> None:
        self.errors: dict[tuple[str, str], list[float]] = defaultdict(list)
        self.counts: dict[str, int] = defaultdict(int)

    def job(self, pattern: Pattern, with_kit: Kit, seed: int) -> None:
        """One job solved; and once more with a blunder in it, where its readings check each other."""
        made = simulate(pattern, with_kit, seed, traced=True)
        results = solve_phase(parse(made.document), "before")
        self.counts["jobs"] += 1
        self.counts["consistent"] += results.solution.consistent
        self.counts["with a suspect"] += bool(results.suspects)
        for quantity, error in standardised_errors(made, results):
            self.errors["by quantity", quantity].append(error)
            self.errors["by kit", with_kit.code].append(error)
            self.errors["by pattern", pattern.code].append(error)
        self.held(results, made.truth, random.Random(seed))
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

    def held(self, results: PhaseResults, truth: dict[str, float], rng: random.Random) -> None:
        """Steer ahead of a front that was held off straight: what is asked for is that with the wheel straight."""
        vehicle = results.solution.layout.vehicle
        ahead, first, thrust = results.estimates.get("steer_ahead_deg"), vehicle.first_steered, vehicle.thrust_axle
        if ahead is None or first is None or thrust is None:
            return
        off = rng.gauss(0, HELD_U_DEG["level"] / _RATIO)
        found = PhaseResults.from_solution(results.solution, (), held_u_deg("level", _RATIO)).estimates[
            "steer_ahead_deg"
        ]
        true = truth[f"axles/{first.number}/bearing_deg"] - truth[f"axles/{thrust}/bearing_deg"] - off
        if found is not None and found.u > 0:
            self.errors["by quantity", "steer_ahead_deg, held off straight"].append((found.value - true) / found.u)

    def visit(self, kind: str, seed: int) -> None:
        """One adjuster moved on bodies: the errors of what its axle reads before, and after it was moved."""
        made = MadeUpVisit(kind, seed)
        positions = made.one.adjuster().positions
        rng = random.Random(f"{kind}/{seed}")
        for moved in (False, True):
            if moved:
                made.body.move(made.one, made.one.adjuster().installed, rng.choice(positions), 0.85)
            results = made.results(moved=moved)
            for path, estimate in results.estimates.items():
                if estimate is None or estimate.u == 0 or not path.startswith(f"axles/{made.one.axle}/"):
                    continue
                error = (estimate.value - made.true(results, path)) / estimate.u
                self.errors["moved, by kind" if moved else "before the move", kind].append(error)
                if moved:
                    self.errors["moved, by quantity", quantity_of(path)].append(error)

    def add(self, other: Tally) -> None:
        """Take in another share."""
        for row, errors in other.errors.items():
            self.errors[row] += errors
        for name, count in other.counts.items():
            self.counts[name] += count


def _share(part: tuple[int, int]) -> Tally:
    """Every ``of``th pair of kit and pattern, from the ``first``, as often as makes up the share; and so the visits."""
    first, of = part
    pairs = [(pattern, code) for code in kit_codes() for pattern in patterns().values()]
    tally = Tally()
    for number, (pattern, code) in enumerate(pairs):
        if number % of == first:
            times = JOBS // len(pairs) + (number < JOBS % len(pairs))
            for seed in range(times):
                tally.job(pattern, kit(code), 1000 * number + seed)
    for number, kind in enumerate(ENTRIES):
        if number % of == first:
            for seed in range(VISITS // len(ENTRIES)):
                tally.visit(kind, seed)
    return tally


def report() -> None:
    """Print the tables."""
    tally = Tally()
    with ProcessPoolExecutor(2) as pool:
        for part in pool.map(_share, [(0, 2), (1, 2)]):
            tally.add(part)
    for table in dict.fromkeys(table for table, _ in sorted(tally.errors)):
        print(f"\n| {table} | results | mean error | spread | within 1.96 u |")
        print("|---|---|---|---|---|")
        for (of, row), errors in sorted(tally.errors.items()):
            if of != table:
                continue
            mean, spread = statistics.fmean(errors), statistics.pstdev(errors)
            inside = sum(abs(error) < _95_PERCENT for error in errors) / len(errors)
            print(f"| {row} | {len(errors):,} | {mean:+.3f} ± {1 / math.sqrt(len(errors)):.3f} | "
                  f"{spread:.3f} ± {1 / math.sqrt(2 * len(errors)):.3f} | {inside:.1%} |")  # fmt: skip
    print({name: f"{count:,}" for name, count in tally.counts.items()})
    found = tally.counts["named first"] + tally.counts["as guilty as the first"]
    apart = tally.counts["of these named first"] / tally.counts["blunders that can be told apart"]
    print(f"blunders named first, where the readings can tell them apart: {apart:.1%} (aim: over 95 %); of all, named first "
          f"or as guilty as the first: {found / tally.counts['blunders']:.1%}")  # fmt: skip
