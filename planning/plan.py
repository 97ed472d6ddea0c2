"""From days to a plan."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable

import msgspec

from planning import costs, why
from planning.first import first_orders
from planning.grid import Grid, Turn
from planning.habits import island_by_island, nearest_first
from planning.model import Days
from planning.result import Call, LeftOut, Leg, Out, Plan
from planning.search import Budget, Orders, Search
from planning.timing import Runner, Stop, Timed

SECONDS = 10.0
_FEW = 12
"""With so few visits nothing but the search is needed."""
_FIRST = 0.12
"""This share of the time is for the optimiser's plan, in which nobody can stop it."""
_FIRST_MOST_S = 5.0
_BEST_BEGINS = 2
_TRIALS = 0.5
"""This share of the time is for trying each of several beginnings; the rest is for the best of them."""
_STEPS_EACH, _STALE_EACH, _LEAST = 200, 60, 300


def plan_of(
    days: Days,
    *,
    seconds: float = SECONDS,
    seed: int = 1,
    tell: Callable[[float, float], bool] | None = None,
    steps: int | None = None,
) -> Plan:
    """The best plan that is found in so many seconds.

    ``tell`` is told how much is done (0 to 1) and the best cost so far; where it answers True, what there is is taken. ``steps`` limits the
    search by its steps instead, so that a plan can be made again the same. Everything that is impossible is said, nothing is lost.
    """
    grid = Grid.of(days)
    search, orders = Search(grid, seed), searched(grid, seconds, seed, tell, steps)
    return as_plan(grid, search, orders)


def searched(
    grid: Grid, seconds: float, seed: int = 1, tell: Callable[[float, float], bool] | None = None, steps: int | None = None,
    begin: Orders | None = None,
) -> Orders:  # fmt: skip
    """The orders of the best plan that is found; the search goes on from ``begin`` where there is one."""
    ends = time.monotonic() + seconds
    search, many = Search(grid, seed), len(grid.place)
    begins = (
        [search.filled(search.fitted(begin))]
        if begin is not None
        else _begins(grid, search, seconds, seed, by_steps=steps is not None)
    )
    orders = min(begins, key=search.total)
    first = 0.0
    if len(begins) > 1:
        # Each is made better for a while: the one that is best at first need not become the best.
        first, each = _TRIALS, _TRIALS * seconds / len(begins)
        tried = []
        for number, one in enumerate(begins):
            part = (_TRIALS * number / len(begins), _TRIALS * (number + 1) / len(begins))
            trial = Budget(
                time.monotonic() + each, steps or many * _STEPS_EACH, _LEAST + many * _STALE_EACH, tell, part
            )
            tried.append(search.improved(one, trial))
            if trial.stopped:
                ends = 0.0
        orders = min(tried, key=search.total)
    budget = Budget(ends, steps or _LEAST + many * _STEPS_EACH, _LEAST + many * _STALE_EACH, tell, (first, 1.0))
    # Fitted once more: what cannot be after all is left out, and is said.
    return search.fitted(search.improved(orders, budget))


def _begins(grid: Grid, search: Search, seconds: float, seed: int, *, by_steps: bool) -> list[Orders]:
    """Plans to begin from: the best two of from nothing, from what is planned already and as without a program; and the optimiser's."""
    wished = [nearest_first(grid), island_by_island(grid)]
    if any(visit.before is not None for visit in grid.days.visits):
        wished.append(as_it_is(grid))
    begins = [search.filled([() for _ in grid.turns]), *(search.filled(search.fitted(one)) for one in wished)]
    begins = sorted(begins, key=search.total)[:_BEST_BEGINS]
    if len(grid.place) <= _FEW or by_steps:
        return begins[:1]
    return [*begins, search.filled(search.fitted(first_orders(grid, min(seconds * _FIRST, _FIRST_MOST_S), seed)))]


def as_it_is(grid: Grid) -> Orders:
    """For each turn the visits that are planned within it, in the order of their times."""
    planned = [
        (one.before.technician, one.before.begins.date(), grid.wall.minute(one.before.begins), number)
        for number, one in enumerate(grid.days.visits)
        if one.before is not None
    ]
    orders: Orders = []
    for turn in grid.turns:
        # The turns of a day come in their order: what begins in an absence goes into the turn after it.
        who = grid.days.technicians[turn.technician].key
        mine = [one for one in planned if one[:2] == (who, turn.day) and one[2] <= turn.end]
        planned = [one for one in planned if one not in mine]
        orders.append(tuple(number for *_, number in sorted(mine)))
    return orders


def as_plan(grid: Grid, search: Search, orders: Orders) -> Plan:
    """Orders on the clock, with the reasons. A turn takes what those before it have left of the ferries; what does not fit then is left out."""
    outs, cost, done, used = [], 0.0, list(orders), Counter[int]()
    for turn in grid.turns:
        found = _most_of(grid, turn, orders[turn.number], search.full(used))
        done[turn.number] = () if found is None else tuple(stop.visit for stop in found.stops)
        if found is not None:
            used.update(search.scarce(found))
            cost += costs.of_turn(grid, turn, found)
        if found is not None and found.back is not None:
            outs.append(_out(grid, turn.number, found))
    planned = {visit for order in done for visit in order}
    left = [one for one in range(len(grid.place)) if one not in planned]
    visits = grid.days.visits
    cost += sum(costs.left_out(visits[one]) for one in left)
    reasons = tuple(LeftOut(visits[one].key, *why.left_out(grid, done, one)) for one in left)
    plan = Plan(turns=tuple(outs), left_out=reasons, away=sum(out.away for out in outs), cost=cost)
    return msgspec.structs.replace(plan, notes=tuple(why.notes(grid, plan)))


def _most_of(grid: Grid, turn: Turn, order: tuple[int, ...], banned: frozenset[int]) -> Timed | None:
    """As many of the visits, from the first on, as can be done; None where somebody who is out already cannot be home in time."""
    runner = Runner(grid, turn, banned)
    return next(
        (found for many in range(len(order), -1, -1) if (found := runner.timed(order[:many])) is not None), None
    )


def _out(grid: Grid, number: int, found: Timed) -> Out:
    turn, days, moment = grid.turns[number], grid.days, grid.wall.moment
    here, pause, calls = turn.origin, None, []
    assert found.back is not None  # noqa: S101 - this turn goes out
    for stop in found.stops:
        there = grid.place[stop.visit]
        calls.append(
            Call(
                days.visits[stop.visit].key, _legs(grid, here, there, stop), moment(stop.arrive), moment(stop.begin), moment(stop.end),
                None if stop.kit < 0 else days.kits[stop.kit].key, why.of_stop(grid, turn, found, stop),
            )
        )  # fmt: skip
        here, pause = there, stop.pause or pause
    home, pause = _legs(grid, here, turn.home, found.back), found.back.pause or pause
    return Out(
        days.technicians[turn.technician].key, turn.day, moment(found.start), moment(found.end), _away(grid, turn, found), tuple(calls), home,
        None if pause is None else moment(pause), turn.begun,
    )  # fmt: skip


def _away(grid: Grid, turn: Turn, found: Timed) -> int:
    """Minutes that are neither work nor break."""
    rested = any(stop.pause is not None for stop in (*found.stops, found.back) if stop is not None)
    work = sum(grid.minutes[stop.visit] for stop in found.stops)
    return found.end - found.start - work - (turn.pause[0] if rested and turn.pause else 0)


def _legs(grid: Grid, here: int, there: int, stop: Stop) -> tuple[Leg, ...]:
    """The legs of a way: to the port as late as the ferry allows, unless the break is taken in port."""
    network, moment = grid.network, grid.wall.moment
    name = [place.key for place in network.places]
    if stop.way is None:
        if here == there:
            return ()
        return (Leg(name[here], name[there], moment(stop.leave), moment(stop.leave + network.road[here][there])),)
    # The break that is before leaving is over by then, one on arrival comes later.
    in_port = stop.pause is not None and stop.leave <= stop.pause < stop.way.arrive
    legs, at, place = [], stop.leave if in_port else stop.way.leave, here
    for sailing in stop.way.sailings:
        if place != sailing.origin:
            legs.append(
                Leg(name[place], name[sailing.origin], moment(at), moment(at + network.road[place][sailing.origin]))
            )
        legs.append(
            Leg(
                name[sailing.origin], name[sailing.target], moment(sailing.leaves), moment(sailing.lands), sailing.ferry
            )
        )
        at, place = sailing.lands, sailing.target
    if place != there:
        legs.append(Leg(name[place], name[there], moment(at), moment(at + network.road[place][there])))
    return tuple(legs)
