"""What moving one visit by hand does to the rest of the days, before it is let go."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from msgspec import Struct
from msgspec.structs import replace

from planning.clock import Wall
from planning.grid import Grid, work_hours
from planning.model import Days, Span, Technician, Visit
from planning.plan import as_plan
from planning.result import Plan
from planning.search import Orders, Search
from planning.timing import Runner, Timed
from planning.why import day_said, left_out

_WORTH_SAYING = 5
"""Minutes."""


class Moved(Struct, frozen=True):
    """Whether the day can be done so, when each of its visits then begins (wall clock), and what that means in sentences."""

    possible: bool
    begins: dict[str, dt.datetime]
    said: tuple[str, ...]


def moved(days: Days, visit: str, technician: str, begins: dt.datetime) -> Moved:
    """``visit`` goes to a technician and a time. The others of that day keep their order, and none begins earlier than it is planned.

    What cannot be done is said; nothing else is touched then.
    """
    day = begins.date()
    mine = next(one for one in days.visits if one.key == visit)
    was = mine.before
    others = [one for one in days.visits if one.key != visit and _is_of(one, technician, day)]
    order = sorted([*others, mine], key=lambda one: (begins if one.key == visit else _begins(one), one.key != visit))
    new = _given_way(
        days, [_at(one, technician, begins) if one.key == visit else _kept(one) for one in order], technician, visit
    )
    name = {man.key: man.name for man in days.technicians}
    if new is None:
        return Moved(possible=False, begins={}, said=(_why_not(days, mine, technician, begins, name),))
    wall = new.begins()
    said = [f"{mine.name} begins at {wall[visit]:%-H:%M} with {name[technician]}."]
    for one in others:
        assert one.before is not None  # noqa: S101 - they are of that day
        later = (wall[one.key] - one.before.begins).total_seconds() / 60
        if later >= _WORTH_SAYING:
            told = ", which somebody was told" if one.before.told else ""
            said.append(f"{one.name} begins at {wall[one.key]:%-H:%M} instead of {one.before.begins:%-H:%M}{told}.")
    said += [
        f"The same vehicle has another visit that day: {one.name} at {one.before.begins:%-H:%M} with {name[one.before.technician]}."
        for one in days.visits
        if one.key != visit
        and one.vehicle == mine.vehicle
        and one.before is not None
        and one.before.begins.date() == day
    ]
    said += _difference(days, others, mine, technician, day, new, name)
    if was is not None and was.told and (was.technician, was.begins) != (technician, wall[visit]):
        said.append(f"Somebody was told {was.begins:%A %-d %B, %-H:%M}: tell them.")
    return Moved(possible=True, begins=wall, said=tuple(said))


def laid_out(days: Days, technician: str, day: dt.date) -> Plan | None:
    """A technician's day as it is planned, with its ways, ferries and break; None where it cannot be done so."""
    found = _as_planned(days, [one for one in days.visits if _is_of(one, technician, day)], technician, day)
    return as_plan(found.grid, Search(found.grid), found.orders) if found is not None and any(found.orders) else None


def why_not(days: Days, technician: str, day: dt.date) -> tuple[str, ...]:
    """Why a technician's day cannot be done as it is planned, in sentences; none where it can."""
    visits = sorted((one for one in days.visits if _is_of(one, technician, day)), key=_begins)
    if not visits or _timed(days, [_kept(one) for one in visits], technician, day) is not None:
        return ()
    man = next(one for one in days.technicians if one.key == technician)
    if not work_hours(man, day, Wall(days.zone)):
        what = f"{visits[0].name} is" if len(visits) == 1 else f"{len(visits)} visits are"
        return (f"{what} planned on {day_said(day)}, when {man.name} does not work.",)
    said = []
    for one in visits:
        grid = Grid.of(replace(days, technicians=(man,), visits=(_kept(one),), days=(day,)))
        if not any(Runner(grid, turn).timed((0,)) for turn in grid.turns):
            said.append(left_out(grid, [() for _ in grid.turns], 0)[1])
    said += [
        f"{one.name}, {_begins(one):%-H:%M} to {ends:%-H:%M}, and {other.name}, from {_begins(other):%-H:%M}, overlap."
        for one, other in pairwise(visits)
        if (ends := _begins(one) + dt.timedelta(minutes=one.minutes)) > _begins(other)
    ]
    return tuple(said) or (_too_much(days, visits, man, day),)


def _too_much(days: Days, visits: Sequence[Visit], man: Technician, day: dt.date) -> str:
    """The first visit for which there is no time after those before it."""
    last = next(
        n for n in range(1, len(visits) + 1) if _timed(days, [_kept(one) for one in visits[:n]], man.key, day) is None
    )
    one, before = visits[last - 1], visits[last - 2]
    return f"{man.name} cannot do {one.name} after {before.name}, with the way there, and be home in working hours."


@dataclass(frozen=True)
class _Day:
    """One technician's day on the clock: the visits of each turn, and the turns."""

    grid: Grid
    orders: Orders
    turns: list[Timed]

    @property
    def cost(self) -> float:
        return sum(turn.cost for turn in self.turns)

    @property
    def home(self) -> str:
        """When they are home for the last time."""
        return self.grid.wall.said(max(turn.end for turn in self.turns if turn.stops))

    def begins(self) -> dict[str, dt.datetime]:
        """When each visit begins, by the clock on the wall."""
        wall = self.grid.wall
        stops = (stop for turn in self.turns for stop in turn.stops)
        return {self.grid.days.visits[stop.visit].key: wall.moment(stop.begin).replace(tzinfo=None) for stop in stops}


def _difference(
    days: Days, others: Sequence[Visit], mine: Visit, technician: str, day: dt.date, new: _Day, name: dict[str, str]
) -> list[str]:
    """What it costs or saves on the road and waiting, and when they are home."""
    was, stays = mine.before, _is_of(mine, technician, day)
    before = _as_planned(days, [*others, mine] if stays else others, technician, day)
    home = f"{name[technician]} is home at {new.home}"
    if before is None:
        return [f"{home}."]
    total = new.cost - before.cost
    if was is not None and not stays:
        there = [one for one in days.visits if _is_of(one, was.technician, was.begins.date())]
        left = [one for one in there if one.key != mine.key]
        with_it, without = (_as_planned(days, ones, was.technician, was.begins.date()) for ones in (there, left))
        total -= with_it.cost - without.cost if with_it and without else 0
    if not round(total):
        return [f"{home}; as much time on the road and waiting as now."]
    return [f"{home}; {abs(round(total))} minutes {'more' if total > 0 else 'less'} on the road and waiting than now."]


def _begins(one: Visit) -> dt.datetime:
    return one.before.begins if one.before is not None else dt.datetime.max  # noqa: DTZ901 - wall clock


def _is_of(one: Visit, technician: str, day: dt.date) -> bool:
    return one.before is not None and one.before.technician == technician and one.before.begins.date() == day


def _kept(one: Visit) -> Visit:
    """No earlier than it is planned."""
    assert one.before is not None  # noqa: S101 - it is planned
    return replace(_free(one), promised=Span(one.before.begins, _evening(one.before.begins)))


def _at(one: Visit, technician: str, begins: dt.datetime) -> Visit:
    return replace(_free(one), promised=Span(begins, _evening(begins)), only=technician)


def _free(one: Visit) -> Visit:
    """Without earlier wishes: the hand that moves it makes new ones."""
    return replace(one, only=None, on=None, at=None, before=None)


def _evening(moment: dt.datetime) -> dt.datetime:
    return moment.replace(hour=23, minute=59)


def _as_planned(days: Days, visits: Sequence[Visit], technician: str, day: dt.date) -> _Day | None:
    """The day with these visits, in the order of their times: none earlier, and from the first that cannot stay where it is on, later."""
    kept = [_kept(one) for one in sorted(visits, key=_begins)]
    stays = (range(count) for count in range(len(kept), -1, -1))
    return _first_possible(days, kept, technician, day, stays)


def _given_way(days: Days, visits: Sequence[Visit], technician: str, moved: str) -> _Day | None:
    """The day with these visits in this order, in which as few as can be give way to the one that was ``moved``: none; those after it, as far
    as it takes; then it goes later itself; then those before it go later, too.
    """
    place = next(number for number, one in enumerate(visits) if one.key == moved)
    day, count = _promised(visits[place]).date(), len(visits)
    others = [[*range(place), *range(place + 1 + after, count)] for after in range(count - place)]
    stays = [[*some, place] for some in others] + others + [list(range(before)) for before in range(place - 1, -1, -1)]
    return _first_possible(days, visits, technician, day, stays)


def _first_possible(
    days: Days, visits: Sequence[Visit], technician: str, day: dt.date, stays: Iterable[Collection[int]]
) -> _Day | None:
    """The day in the first of the ways in which it can be done. Each says which visits stay at their times; the others may begin later."""
    tried = ([_stays(one) if number in some else one for number, one in enumerate(visits)] for some in stays)
    return next((found for each in tried if (found := _timed(days, each, technician, day)) is not None), None)


def _stays(one: Visit) -> Visit:
    return replace(one, promised=Span(_promised(one), _promised(one)))


def _timed(days: Days, visits: Sequence[Visit], technician: str, day: dt.date) -> _Day | None:
    """One technician's day with these visits in this order, each in the turn in which its time lies; None where it cannot be done."""
    man = next(one for one in days.technicians if one.key == technician)
    grid = Grid.of(replace(days, technicians=(man,), visits=tuple(visits), days=(day,)))
    left, orders = list(range(len(visits))), []
    for turn in grid.turns:
        mine = [number for number in left if grid.wall.minute(_promised(visits[number])) <= turn.end]
        left = [number for number in left if number not in mine]
        orders.append(tuple(mine))
    turns = [Runner(grid, turn).timed(order) for turn, order in zip(grid.turns, orders, strict=True)]
    found = [turn for turn in turns if turn is not None]
    return None if left or len(found) < len(turns) else _Day(grid, orders, found)


def _promised(one: Visit) -> dt.datetime:
    assert one.promised is not None  # noqa: S101 - both ways of keeping a visit in its place promise it
    return one.promised.start


def _why_not(days: Days, mine: Visit, technician: str, begins: dt.datetime, name: dict[str, str]) -> str:
    man = next(one for one in days.technicians if one.key == technician)
    alone = replace(days, technicians=(man,), visits=(_at(mine, technician, begins),), days=(begins.date(),))
    grid = Grid.of(alone)
    if not any(Runner(grid, turn).timed((0,)) for turn in grid.turns):
        return left_out(grid, [() for _ in grid.turns], 0)[1]
    return f"{name[technician]} cannot do all visits of that day in this order and be home in working hours: another time, day or technician is needed."
