"""One turn's visits in an order, put on the clock: when to leave so that least time is spent away without working.

The ways take as long as the timetable says, so that leaving later never brings one there earlier. Therefore the earliest time at which each
visit can be finished, once for who has had the break and once for who has not, is all that has to be carried from stop to stop. What may
be left later without ending later is carried along as a slack (Savelsbergh 1992, "The vehicle routing problem with time windows: minimizing
route duration", with ferries and breaks as further waits).

This is the innermost loop of the search: labels and stops are plain tuples in it.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from operator import attrgetter
from typing import Any, NamedTuple

from planning.grid import Grid, Turn
from planning.network import Sailing, Way

NONE: frozenset[int] = frozenset()
_UNBOUND = 1 << 40
MOST_STARTS = 40
"""So many times of leaving are tried, each after the one before has been shown to be too early."""
_BACK = -1
_ARRIVES = attrgetter("arrive")

Label = tuple[int, int, int, Any]
"""How far one has come: the minute, the wait that a later start would take away, by how much one may start later, and the stops so far."""
Pair = tuple[Label | None, Label | None]
"""Two labels: of who has not had the break, and of who has."""


class Stop(NamedTuple):
    """A visit on the clock: left for at ``leave``, by which way, there at ``arrive``, the break before it, begun, done, with which kit."""

    visit: int
    leave: int
    way: Way | None
    arrive: int
    pause: int | None
    begin: int
    end: int
    kit: int


@dataclass(frozen=True)
class Timed:
    """A turn on the clock: ``cost`` is the minutes away that are neither work nor break, waits as they weigh. ``back`` is the way home; None for
    a turn at home.
    """

    turn: int
    start: int
    end: int
    cost: float
    stops: tuple[Stop, ...] = ()
    back: Stop | None = None

    @property
    def sailings(self) -> list[Sailing]:
        """The ferries that it takes, in their order."""
        ways = (stop.way for stop in (*self.stops, self.back) if stop is not None)
        return [sailing for way in ways if way is not None for sailing in way.sailings]


class Runner:
    """Goes through one turn, by none of the ``banned`` sailings."""

    def __init__(self, grid: Grid, turn: Turn, banned: frozenset[int] = NONE) -> None:
        self.grid, self.turn, self.banned = grid, turn, banned
        self._network, self._pause, self._number = grid.network, turn.pause, turn.number
        self._waits_less = 1.0 - grid.days.waits_weigh
        self._home = ((turn.start, _UNBOUND, -1),)

    def timed(self, order: Sequence[int], starts: int = MOST_STARTS) -> Timed | None:
        """These visits in this order at the least time away, with their stops. None: it is not possible."""
        turn = self.turn
        if not order and not turn.begun:
            return Timed(turn.number, turn.start, turn.start, 0)
        if not self.enough_battery(order):
            return None
        best: tuple[float, int, Label] | None = None
        start, work = turn.start, sum(self.grid.minutes[one] for one in order)
        for _ in range(starts):
            found = self.home(self.on(((start, 0, _UNBOUND, None), None), turn.origin, order), order, start)
            if found is None:
                break
            label, rested = found
            later = self._later(label, start)
            cost = self._cost(label, start, work, rested=rested)
            if best is None or cost < best[0]:
                best = cost, later, label
            if turn.begun or (label[1] <= later - start and not (rested and self._network.sailings)):
                break
            start = later + 1
        return None if best is None else self._as_timed(best, order)

    def _as_timed(self, best: tuple[float, int, Label], order: Sequence[int]) -> Timed:
        """With the stops as they are for who leaves as late as that."""
        cost, start, label = best
        again = self.home(self.on(((start, 0, _UNBOUND, None), None), self.turn.origin, order), order, start)
        path = (again[0] if again else label)[3]
        stops: list[Stop] = []
        while path is not None:
            path, stop = path
            stops.append(Stop(*stop))
        back, *visits = stops
        return Timed(self.turn.number, start, label[0], cost, tuple(reversed(visits)), back)

    def prefixes(self, order: Sequence[int], start: int) -> list[Pair]:
        """How far one has come before each visit, and after the last."""
        pair: Pair = ((start, 0, _UNBOUND, None), None)
        found, here = [pair], self.turn.origin
        for visit in order:
            pair = self._step(pair, here, visit)
            here = self.grid.place[visit]
            found.append(pair)
        return found

    def latest(self, order: Sequence[int]) -> list[int]:
        """For each visit, and for home, the latest arrival after which the rest can still be done if no break is taken."""
        place, windows, minutes = self.grid.place, self.grid.windows, self.grid.minutes
        by, there = self.turn.end, self.turn.home
        found = [by]
        for visit in reversed(order):
            here = place[visit]
            done = self._leave_by(here, there, by)
            begin = max((min(last, done - minutes[visit]) for first, last, _ in windows[visit][self._number] if first <= done - minutes[visit]),
                        default=-1)  # fmt: skip
            by, there = begin, here
            found.append(by)
        return found[::-1]

    def _leave_by(self, here: int, there: int, by: int) -> int:
        """The latest time to leave so as to be there, set up, by then."""
        network = self._network
        by_road = network.road[here][there]
        by -= 0 if here == there else network.unpack[there]
        if by_road >= 0:
            return by - by_road
        _, ways = network.ways(here, there, self.banned)
        index = bisect_right(ways, by, key=_ARRIVES) - 1
        return ways[index].leave if index >= 0 else -1

    def fits(self, pair: Pair, here: int, visit: int, following: int, by: int) -> Pair | None:
        """After one more visit from here, where the next place can then be reached by its latest; None where it cannot."""
        pair = self._step(pair, here, visit)
        label = pair[0] or pair[1]
        if label is None:
            return None
        gone = self._gone(label, self.grid.place[visit], following)
        return pair if gone is not None and gone[0][0] <= by else None

    def with_one_more(self, pair: Pair, order: Sequence[int], gap: int, visit: int, start: int) -> float | None:
        """What the turn costs with one more visit in a gap, ``pair`` being how far one has come after it, for who leaves no earlier than that."""
        whole = (*order[:gap], visit, *order[gap:])
        if not self.enough_battery(whole):
            return None
        found = self.home(self.on(pair, self.grid.place[visit], order[gap:]), whole, start)
        if found is None:
            return None
        label, rested = found
        work = sum(self.grid.minutes[one] for one in whole)
        return self._cost(label, start, work, rested=rested)

    def on(self, pair: Pair, here: int, visits: Sequence[int]) -> Pair:
        """From here through further visits."""
        place = self.grid.place
        for visit in visits:
            pair = self._step(pair, here, visit)
            if pair[0] is None and pair[1] is None:
                return pair
            here = place[visit]
        return pair

    def home(self, pair: Pair, order: Sequence[int], start: int) -> tuple[Label, bool] | None:
        """The way home in time, and whether the break is taken: it is not where there is none, or one is home by then or leaves only after."""
        turn, pause = self.turn, self._pause
        here = self.grid.place[order[-1]] if order else turn.origin
        fresh, rested = self._legs(pair, here, turn.home, _BACK, self._home, 0)
        found: list[tuple[Label, bool]] = []
        if fresh is not None and (pause is None or fresh[0] <= pause[2] or self._later(fresh, start) > pause[2]):
            found.append((fresh, False))
        if rested is not None:
            found.append((rested, True))
        found = [one for one in found if one[0][0] <= turn.end]
        return min(found, key=lambda one: self._cost(one[0], start, 0, rested=one[1]), default=None)

    def enough_battery(self, order: Sequence[int]) -> bool:
        """Whether each kit lasts, each visit being done with that kit which has most left."""
        if not self.turn.battery:
            return True
        left = dict(self.turn.battery)
        for visit in order:
            kits = {window[2] for window in self.grid.windows[visit][self._number]}
            kit = max(kits, key=lambda one: left.get(one, _UNBOUND), default=-1)
            if kit in left:
                left[kit] -= self.grid.minutes[visit]
                if left[kit] < 0:
                    return False
        return True

    def _later(self, label: Label, start: int) -> int:
        return start if self.turn.begun else start + min(label[1], label[2])

    def _cost(self, label: Label, began: int, work: int, *, rested: bool) -> float:
        """For who could begin at ``began`` and does as late as can be."""
        start = self._later(label, began)
        away = label[0] - start - work - (self._pause[0] if rested and self._pause else 0)
        return away - self._waits_less * (label[1] - start + began)

    def _step(self, pair: Pair, here: int, visit: int) -> Pair:
        windows = self.grid.windows[visit][self._number]
        return self._legs(pair, here, self.grid.place[visit], visit, windows, self.grid.minutes[visit])

    def _legs(self, pair: Pair, here: int, there: int, visit: int, windows: Any, minutes: int) -> Pair:
        """To the next place and through the visit, with and without a break on the way."""
        fresh, rested = pair
        after_rested = self._leg(rested, here, there, visit, windows, minutes, None)
        if fresh is None:
            return None, after_rested
        gone = self._gone(fresh, here, there)
        after = (
            None if gone is None else _begun(gone[0], visit, windows, minutes, (fresh[0], gone[1], gone[0][0], None))
        )
        if self._pause is not None and fresh[0] <= self._pause[2]:
            for label in self._with_break(fresh, gone, here, there, visit, windows, minutes):
                after_rested = _better(after_rested, label)
        return after, after_rested

    def _leg(
        self, label: Label | None, here: int, there: int, visit: int, windows: Any, minutes: int, paused: int | None
    ) -> Label | None:
        if label is None:
            return None
        gone = self._gone(label, here, there)
        return (
            None if gone is None else _begun(gone[0], visit, windows, minutes, (label[0], gone[1], gone[0][0], paused))
        )

    def _with_break(
        self,
        label: Label,
        gone: tuple[Label, Way | None] | None,
        here: int,
        there: int,
        visit: int,
        windows: Any,
        minutes: int,
    ) -> list[Label | None]:
        """The break before leaving, in port or on board, or on arrival; at home before the first way there is none."""
        found: list[Label | None] = []
        if label[3] is not None or self.turn.begun:
            broken = self._paused(label)
            if broken is not None:
                found.append(self._leg(broken[0], here, there, visit, windows, minutes, broken[1]))
        if gone is None:
            return found
        moved, way = gone
        if way is not None:
            broken = self._paused_on_board(label, moved, way)
            if broken is not None:
                found.append(_begun(broken[0], visit, windows, minutes, (label[0], way, moved[0], broken[1])))
        broken = self._paused(moved) if visit != _BACK else None
        if broken is not None:
            found.append(_begun(broken[0], visit, windows, minutes, (label[0], way, moved[0], broken[1])))
        return found

    def _gone(self, label: Label, here: int, there: int) -> tuple[Label, Way | None] | None:
        """Come to the next place and set up there; None where nothing goes."""
        at, waited, slack, path = label
        network = self._network
        by_road = network.road[here][there]
        if by_road >= 0:
            unpack = 0 if here == there else network.unpack[there]
            return (at + by_road + unpack, waited, slack, path), None
        leaves, ways = network.ways(here, there, self.banned)
        first = bisect_left(leaves, at)
        if first == len(leaves):
            return None
        way = ways[first]
        waited += way.leave - at
        return (way.arrive + network.unpack[there], waited, min(slack, waited), path), way

    def _paused(self, label: Label) -> tuple[Label, int] | None:
        """The break taken here and now; None where it is too late for it."""
        minutes, earliest, latest = self._pause  # type: ignore[misc] # asked only where there is one
        now, waited, slack, path = label
        at = max(now, earliest)
        if at > latest:
            return None
        return (at + minutes, waited + at - now, min(slack, waited + latest - now), path), at

    def _paused_on_board(self, label: Label, moved: Label, way: Way) -> tuple[Label, int] | None:
        """The break taken in port or on the first ferry; None where it does not fit."""
        minutes, earliest, latest = self._pause  # type: ignore[misc] # asked only where there is one
        in_port = label[0] + way.port
        last = min(latest, way.sailings[0].lands - minutes)
        at = max(in_port, earliest)
        if at > last:
            return None
        return (moved[0], moved[1], min(moved[2], label[1] + last - in_port), moved[3]), at


def _better(one: Label | None, other: Label | None) -> Label | None:
    if one is None or other is None:
        return one or other
    if one[0] != other[0]:
        return one if one[0] < other[0] else other
    return one if min(one[1], one[2]) >= min(other[1], other[2]) else other


def _begun(
    moved: Label, visit: int, windows: Any, minutes: int, how: tuple[int, Way | None, int, int | None]
) -> Label | None:
    """Begun as early as a window allows, and done. ``how`` one came: left when, by which way, there when, the break."""
    at, waited, slack, path = moved
    begin, kit, last = _UNBOUND, -1, 0
    for first, latest, its_kit in windows:
        if at <= latest:
            its_begin = max(first, at)
            if its_begin < begin or (its_begin == begin and latest > last):
                begin, kit, last = its_begin, its_kit, latest
    if begin == _UNBOUND:
        return None
    end = begin + minutes
    return end, waited + begin - at, min(slack, waited + last - at), (path, (visit, *how, begin, end, kit))
