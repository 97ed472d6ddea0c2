"""Ruin and recreate: parts of a plan are taken out and put back where they cost least, thousands of times.

After Schrimpf et al. 2000 ("Record breaking optimization results using the ruin and recreate principle") and Christiaens and Vanden Berghe
2020 ("Slack induction by string removals"): neighbours in place are taken out as strings of several turns, the rest is put back in a random
order at its cheapest place, seldom passing it over; a worse plan is accepted the less readily the longer it goes on.
"""

from __future__ import annotations

import math
import random
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from planning import costs
from planning.grid import Grid, Turn
from planning.timing import NONE, Pair, Runner, Timed

Orders = list[tuple[int, ...]]
"""For each turn its visits in their order."""
_STRING, _REMOVED = 7, 9
_BLINK = 0.02
_WARM, _COLD = 60.0, 0.5
_STARTS = 4
_MOST_KNOWN, _MOST_ON_THE_WAY = 200_000, 10_000
_TRIED, _MOST_TRIED = 2, 6


@dataclass
class Budget:
    """How long a search may go on: until ``ends`` (``time.monotonic``), ``steps``, or ``stale`` steps without anything better.

    ``tell`` is told about once a second how much of ``part`` of the whole is over, from 0 to 1, and the best cost; it answers whether to stop
    and take what there is, which ``stopped`` then says.
    """

    ends: float
    steps: int
    stale: int
    tell: Callable[[float, float], bool] | None = None
    part: tuple[float, float] = (0.0, 1.0)
    stopped: bool = False
    _began: float = field(default_factory=time.monotonic)
    _told: float = 0.0

    def heat(self, steps: int, since: int, cost: float) -> float | None:
        """How much worse a plan may be to be gone on from, in minutes; None when it is over."""
        now = time.monotonic()
        spent = (now - self._began) / max(self.ends - self._began, 1e-3)
        share = min(1.0, max(spent, steps / self.steps, since / self.stale))
        if self.tell is not None and now - self._told > 1:
            self._told = now
            first, last = self.part
            self.stopped = self.tell(first + (last - first) * share, cost)
        return None if self.stopped or share >= 1 else _WARM * (_COLD / _WARM) ** share


class Search:
    """Costs of turns, remembered; and plans made better."""

    def __init__(self, grid: Grid, seed: int = 1) -> None:
        self.grid = grid
        self.rng = random.Random(seed)  # noqa: S311 - no secret
        self._known: dict[tuple[int, tuple[int, ...], frozenset[int]], tuple[float, frozenset[int], int]] = {}
        self._on_the_way: dict[
            tuple[int, tuple[int, ...], frozenset[int], int], tuple[Runner, list[Pair], list[int]]
        ] = {}
        vans = len(grid.days.technicians)
        self._room = {one.number: one.room for one in grid.network.sailings if one.room < vans}
        visits = grid.days.visits
        self._plain = [costs.plain(grid.days.days, visit) for visit in visits]
        self._said = [visit.before is not None for visit in visits]
        self._left_out = [costs.left_out(visit) for visit in visits]
        self._near = self._neighbours()
        self._turns_of = [[turn for turn in grid.turns if windows[turn.number]] for windows in grid.windows]

    def _neighbours(self) -> list[list[int]]:
        """For each visit the others, the nearest first; over the water is far."""
        road, place = self.grid.network.road, self.grid.place

        def far(one: int, other: int) -> int:
            minutes = road[place[one]][place[other]]
            return 10_000 if minutes < 0 else minutes

        every = range(len(place))
        return [sorted((other for other in every if other != one), key=lambda other: far(one, other)) for one in every]

    def cost(self, turn: Turn, order: tuple[int, ...], banned: frozenset[int] = NONE) -> float:
        """What a turn costs with an order; infinite where it is not possible."""
        return self._reckoned(turn, order, banned)[0]

    def _reckoned(
        self, turn: Turn, order: tuple[int, ...], banned: frozenset[int]
    ) -> tuple[float, frozenset[int], int]:
        """What it costs, and the sailings it takes that have not room for all, and when it starts."""
        key = (turn.number, order, banned)
        known = self._known.get(key)
        if known is None:
            if len(self._known) > _MOST_KNOWN:
                self._known.clear()
            known = self._known[key] = self._reckon(turn, order, banned)
        return known

    def _reckon(self, turn: Turn, order: tuple[int, ...], banned: frozenset[int]) -> tuple[float, frozenset[int], int]:
        found = Runner(self.grid, turn, banned).timed(order, _STARTS)
        if found is None:
            return math.inf, NONE, turn.start
        return costs.of_turn(self.grid, turn, found), self.scarce(found), found.start

    def scarce(self, found: Timed) -> frozenset[int]:
        """The sailings that a turn takes of those that have not room for all."""
        return frozenset(one.number for one in found.sailings if one.number in self._room) if self._room else NONE

    def total(self, orders: Orders) -> float:
        """What a plan costs: each turn by what those before it have left of the ferries, and all that is left out."""
        cost: float = sum(self._left_out) - sum(self._left_out[one] for order in orders for one in order)
        for turn, banned in zip(self.grid.turns, self.banned(orders), strict=True):
            cost += self.cost(turn, orders[turn.number], banned)
        return cost

    def banned(self, orders: Orders) -> list[frozenset[int]]:
        """For each turn the sailings that are full before it comes to them."""
        if not self._room:
            return [NONE] * len(orders)
        used: Counter[int] = Counter()
        found = []
        for turn in self.grid.turns:
            full = self.full(used)
            found.append(full)
            used.update(self._reckoned(turn, orders[turn.number], full)[1])
        return found

    def full(self, used: Counter[int]) -> frozenset[int]:
        """The sailings that have no room left."""
        return frozenset(one for one, many in used.items() if many >= self._room[one])

    def fitted(self, wished: Orders) -> Orders:
        """As much of what is wished as is possible by the timetable, in its order."""
        orders: Orders = [() for _ in wished]
        used: Counter[int] = Counter()
        for turn in self.grid.turns:
            full = self.full(used)
            for visit in wished[turn.number]:
                longer = (*orders[turn.number], visit)
                double = visit in self.grid.twins and self._vehicle_is_there(orders, turn, visit)
                if not double and not math.isinf(self.cost(turn, longer, full)):
                    orders[turn.number] = longer
            used.update(self._reckoned(turn, orders[turn.number], full)[1])
        return orders

    def filled(self, orders: Orders) -> Orders:
        """With everything that is in no turn put in where it costs least."""
        done = {visit for order in orders for visit in order}
        return self._recreated(list(orders), [one for one in range(len(self.grid.place)) if one not in done])

    def improved(self, orders: Orders, budget: Budget) -> Orders:
        """The best plan that is found from this one within a budget."""
        now, best = list(orders), list(orders)
        now_cost = best_cost = self.total(now)
        last = steps = 0
        while (heat := budget.heat(steps, steps - last, best_cost)) is not None:
            other = self._recreated(*self._ruined(now))
            cost = self.total(other)
            if cost < now_cost - heat * math.log(self.rng.random() or 1.0):
                now, now_cost = other, cost
                if cost < best_cost - 1e-9:
                    best, best_cost, last = list(other), cost, steps
            steps += 1
        return best

    def _ruined(self, orders: Orders) -> tuple[Orders, list[int]]:
        """A plan with some strings of neighbours taken out, and what is in none of its turns."""
        orders = list(orders)
        turn_of = {visit: number for number, order in enumerate(orders) for visit in order}
        every = range(len(self.grid.place))
        if not every:
            return orders, []
        seed, want, hit = self.rng.choice(every), self.rng.randint(1, _REMOVED), set()
        out: list[int] = []
        for visit in (seed, *self._near[seed]):
            if len(out) >= want:
                break
            number = turn_of.get(visit)
            if number is None or number in hit or visit not in orders[number]:
                continue
            hit.add(number)
            order = orders[number]
            length = min(len(order), self.rng.randint(1, _STRING))
            first = max(0, min(order.index(visit) - self.rng.randrange(length), len(order) - length))
            out += order[first : first + length]
            orders[number] = order[:first] + order[first + length :]
        return orders, [visit for visit in every if visit in out or visit not in turn_of]

    def _recreated(self, orders: Orders, absent: list[int]) -> Orders:
        """What is absent is put in where it costs least; what fits nowhere stays out."""
        self.rng.shuffle(absent)
        sort = self.rng.random()
        if sort < 0.5:  # noqa: PLR2004 - half of the times
            absent.sort(key=lambda one: -self._left_out[one])
        elif sort < 0.75:  # noqa: PLR2004 - a quarter
            absent.sort(
                key=lambda one: sum(map(len, (self.grid.windows[one][turn.number] for turn in self._turns_of[one])))
            )
        banned = self.banned(orders)
        for visit in absent:
            best = self._cheapest(orders, visit, banned)
            if best is not None:
                number, place = best
                orders[number] = (*orders[number][:place], visit, *orders[number][place:])
                banned = self.banned(orders)
        return orders

    def _cheapest(self, orders: Orders, visit: int, banned: list[frozenset[int]]) -> tuple[int, int] | None:
        """The turn and the gap in which a visit costs least, of those that look nearest; None where leaving it out costs less."""
        best, least, tried = None, self._left_out[visit] + 0.0, 0
        gaps = [
            (self._detour(turn, orders[turn.number], gap, visit), turn.number, gap)
            for turn in self._turns_of[visit]
            if visit not in self.grid.twins or not self._vehicle_is_there(orders, turn, visit)
            for gap in self._gaps(orders[turn.number], visit)
        ]
        for detour, number, gap in sorted(gaps):
            if tried >= _TRIED and detour > least:
                break
            if self.rng.random() < _BLINK:
                continue
            more = self._more(self.grid.turns[number], orders[number], gap, visit, banned[number])
            if more is not None:
                tried += 1
                if more < least:
                    best, least = (number, gap), more
            if tried >= _MOST_TRIED:
                break
        return best

    def _detour(self, turn: Turn, order: tuple[int, ...], gap: int, visit: int) -> float:
        """About how many minutes more the way is."""
        place, typical = self.grid.place, self.grid.network.typical
        before = place[order[gap - 1]] if gap else turn.origin
        after = place[order[gap]] if gap < len(order) else turn.home
        here = place[visit]
        return typical(before, here) + typical(here, after) - typical(before, after) + self._extra(turn, visit)

    def _more(self, turn: Turn, order: tuple[int, ...], gap: int, visit: int, banned: frozenset[int]) -> float | None:
        """About what a visit in a gap costs more: for who leaves when the turn leaves now, else at once. None: it does not fit."""
        cost, _, start = self._reckoned(turn, order, banned)
        if math.isinf(cost):
            return None
        place = self.grid.place
        here = place[order[gap - 1]] if gap else turn.origin
        following = place[order[gap]] if gap < len(order) else turn.home
        for leaving in dict.fromkeys((start, turn.start)):
            runner, prefixes, latest = self._prefixes(turn, order, banned, leaving)
            pair = runner.fits(prefixes[gap], here, visit, following, latest[gap])
            if pair is not None and (self._said[visit] or any(self._said[one] for one in order)):
                # What was said of the others counts, too: only the whole turn tells what becomes of it.
                whole = self.cost(turn, (*order[:gap], visit, *order[gap:]), banned)
                return None if math.isinf(whole) else whole - cost
            if pair is not None:
                more = runner.with_one_more(pair, order, gap, visit, leaving)
                if more is not None:
                    return more - cost + self._extra(turn, visit)
        return None

    def _prefixes(
        self, turn: Turn, order: tuple[int, ...], banned: frozenset[int], start: int
    ) -> tuple[Runner, list[Pair], list[int]]:
        key = (turn.number, order, banned, start)
        found = self._on_the_way.get(key)
        if found is None:
            if len(self._on_the_way) > _MOST_ON_THE_WAY:
                self._on_the_way.clear()
            runner = Runner(self.grid, turn, banned)
            found = self._on_the_way[key] = (runner, runner.prefixes(order, start), runner.latest(order))
        return found

    def _extra(self, turn: Turn, visit: int) -> float:
        """What the visit costs in this turn beyond the way, as if it began at the turn's begin."""
        one = self.grid.days.visits[visit]
        return 0.0 if self._plain[visit] else costs.of_visit(self.grid, turn, one, turn.start)

    def _vehicle_is_there(self, orders: Orders, turn: Turn, visit: int) -> bool:
        """Whether the same vehicle is visited on that day already."""
        twins = self.grid.twins[visit]
        return any(one in twins for other in self.grid.turns if other.day == turn.day for one in orders[other.number])

    def _gaps(self, order: tuple[int, ...], visit: int) -> list[int]:
        """Where in an order it makes sense: not between two visits in another yard."""
        place = self.grid.place
        there = place[visit]
        return [
            gap for gap in range(len(order) + 1)
            if gap in (0, len(order)) or place[order[gap - 1]] != place[order[gap]] or place[order[gap]] == there
        ]  # fmt: skip
