"""The planner against how days are planned without a program, against everything tried, and beside two kept optimisers.

``RECTAXIS_DAYS`` says how many random days (50), ``RECTAXIS_SMALL`` how many small cases (500). OR-Tools is compared where it is installed.
"""

from __future__ import annotations

import dataclasses
import datetime as dt
import json
import os
import statistics
import time
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from planning.checker import check
from planning.examples import random_days
from planning.first import first_orders
from planning.grid import Grid
from planning.habits import island_by_island, nearest_first
from planning.model import Days
from planning.plan import plan_of
from planning.replan import changes, replanned, to_tell
from planning.result import Plan
from planning.search import Budget, Orders, Search
from planning.tests.brute import Brute, small_day
from planning.timing import Runner

DAYS = int(os.environ.get("RECTAXIS_DAYS", "50"))
SMALL = int(os.environ.get("RECTAXIS_SMALL", "500"))
_DAY_S, _WEEK_S = 9.0, 50.0
_AIM = 0.15


def report() -> bool:
    """Print it all; False where something cannot be carried out or is not the best."""
    good = _small()
    good &= _against_habits()
    good &= _week()
    good &= _again()
    _beside_others()
    return good


def _small() -> bool:
    equal, worse = 0, []
    for seed in range(SMALL):
        days = small_day(seed, 8 if seed % 25 == 0 else 6)
        plan = plan_of(Days.from_json(json.dumps(days)), seconds=60, steps=300 + 60 * len(days["visits"]))
        least = Brute(days).least()
        if plan.cost == least and not check(days, plan.plain()):
            equal += 1
        else:
            worse.append((seed, plan.cost, least))
    print(
        f"small days: {equal} of {SMALL} as good as the best of everything tried"
        + (f"; not: {worse[:5]}" if worse else ""),
        flush=True,
    )
    return equal == SMALL


def _feasible(days: Days, plan: Plan) -> bool:
    faults = check(json.loads(days.to_json()), plan.plain())
    if faults:
        print("cannot be carried out:", faults[:3])
    return not faults


def _against_habits() -> bool:
    """All visits; and once more those alone that a habit gets done, so that time is compared for the same work.

    Without a program one leaves when work begins; it is compared, too, as if one left as late as the order allows, which takes a program.
    """
    good, took, done = True, [], []
    habits = {"nearest first": nearest_first, "island by island": island_by_island}
    does: dict[str, list[int]] = {name: [] for name in habits}
    less: dict[str, list[tuple[float, float]]] = {name: [] for name in habits}
    for seed in range(DAYS):
        days = random_days(seed)
        grid, began = Grid.of(days), time.monotonic()
        plan = plan_of(days, seconds=_DAY_S)
        took.append(time.monotonic() - began)
        done.append(len(days.visits) - len(plan.left_out))
        good &= _feasible(days, plan)
        for name, habit in habits.items():
            at_once, late, those = _by_habit(grid, habit)
            does[name].append(len(those))
            same = replace(days, visits=tuple(days.visits[one] for one in those))
            mine = plan_of(same, seconds=_DAY_S)
            good &= _feasible(same, mine)
            less[name].append((1 - mine.away / at_once, 1 - mine.away / late))
            if mine.left_out:
                print(f"day {seed}: {len(mine.left_out)} of what {name} gets done is left out")
                good = False
    print(
        f"{DAYS} days of 40 visits, 2 technicians, 5 islands: at most {max(took):.1f} s; {statistics.mean(done):.1f} of 40 visits done"
    )
    for name, shares in less.items():
        at_once_share, late_share = zip(*shares, strict=True)
        print(
            f"  {name} does {statistics.mean(does[name]):.1f}; of the same visits the plan takes {100 * statistics.mean(at_once_share):.0f} % less time on "
            f"the road and waiting (worst day {100 * min(at_once_share):.0f} %, best {100 * max(at_once_share):.0f} %; aim 15); "
            f"{100 * statistics.mean(late_share):.0f} % less if one left as late as the order allows (worst {100 * min(late_share):.0f} %)", flush=True
        )  # fmt: skip
        good &= statistics.mean(at_once_share) >= _AIM
    return good


def _by_habit(grid: Grid, habit: Callable[[Grid], Orders]) -> tuple[float, float, list[int]]:
    """Minutes away by a habit, leaving at once and as late as can be, and the visits that it gets done."""
    search = Search(grid)
    orders = search.fitted(habit(grid))
    at_once = late = 0.0
    for turn, banned in zip(grid.turns, search.banned(orders), strict=True):
        order = orders[turn.number]
        if order:
            late += search.cost(turn, order, banned)
            leaving = Runner(grid, dataclasses.replace(turn, begun=True), banned).timed(order)
            at_once += leaving.cost if leaving is not None else search.cost(turn, order, banned)
    return at_once, late, sorted(visit for order in orders for visit in order)


def _week() -> bool:
    days = random_days(7, visits=200, technicians=5, days=5, short=False)
    began = time.monotonic()
    plan = plan_of(days, seconds=_WEEK_S)
    took = time.monotonic() - began
    print(
        f"a week of 200 visits, 5 technicians: {took:.0f} s (aim 60), {len(plan.left_out)} left out, {plan.away} minutes away",
        flush=True,
    )
    return _feasible(days, plan)


def _again() -> bool:
    """Somebody's first visit takes 45 minutes more: how many of those who were told another time are told again."""
    good, shares = True, []
    for seed in range(100, 120):
        days = random_days(seed, visits=24, short=False, days=2)
        plan = plan_of(days, seconds=3)
        out = max((one for one in plan.turns if one.day == days.days[0]), key=lambda one: len(one.stops))
        call = out.stops[0]
        ends = call.ends.replace(tzinfo=None)
        new, there = replanned(days, plan, ends, {call.visit: _later(ends)})
        good &= _feasible(there, new)
        said = changes(there, new)
        shares.append(len([*to_tell(said)]) / max(1, len(said)))
    print(
        f"planned again after an overrun of 45 minutes, 20 days: {100 * statistics.mean(shares):.0f} % of promised times changed, at most "
        f"{100 * max(shares):.0f} % (aim 33)", flush=True
    )  # fmt: skip
    return good and max(shares) <= 1 / 3


def _later(moment: dt.datetime) -> dt.datetime:
    return moment + dt.timedelta(minutes=45)


def _beside_others() -> None:
    """The same search from nothing, and from a first plan of each optimiser, in the same time. Costs: the less the better."""
    kinds: dict[str, dict[str, Any]] = {
        "60 yards by road, one day": dict(visits=60, technicians=4, islands=1, yards=60),
        "100 yards by road, three days": dict(visits=100, technicians=4, islands=1, yards=100, days=3, short=False),
        "three islands, three days": dict(visits=60, technicians=3, islands=3, yards=20, days=3, short=False),
        "five islands, one day": {},
    }
    firsts: dict[str, Callable[[Grid, float], Orders] | None] = {"from nothing": None, "PyVRP": first_orders}
    try:
        from bench.ortools_first import first_orders as by_ortools

        firsts["OR-Tools"] = by_ortools
    except ImportError:
        print("OR-Tools is not installed here: pip install ortools compares it, too")
    for name, kind in kinds.items():
        said = []
        for which, first in firsts.items():
            own, whole = zip(*(_one(random_days(seed, **kind), first) for seed in (3, 4, 5)), strict=True)
            said.append(f"{which}: {statistics.mean(own):.0f} after 3 s, {statistics.mean(whole):.0f} after 12")
        print(f"{name}: {'; '.join(said)}", flush=True)


def _one(days: Days, first: Callable[[Grid, float], Orders] | None) -> tuple[float, float]:
    grid = Grid.of(days)
    search, began = Search(grid), time.monotonic()
    if first is None:
        orders = search.improved(search.filled([() for _ in grid.turns]), Budget(began + 3, 10**6, 10**6))
    else:
        orders = search.filled(search.fitted(first(grid, 2.5)))
    early = search.total(orders)
    return early, search.total(search.fitted(search.improved(orders, Budget(began + 12, 10**6, 10**6))))
