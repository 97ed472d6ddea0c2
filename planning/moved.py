"""What moving one visit by hand does to the rest of the days, before it is let go."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from planning.grid import Grid, Turn
from planning.model import Days, Span, Visit
from planning.plan import as_plan
from planning.result import Plan
from planning.search import Orders, Search
from planning.timing import Runner, Timed
from planning.why import left_out

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
    new = _timed(
        days, [_at(one, technician, begins) if one.key == visit else _kept(one) for one in order], technician, day
    )
    name = {man.key: man.name for man in days.technicians}
    if new is None:
        return Moved(possible=False, begins={}, said=(_why_not(days, mine, technician, begins, name),))
    grid, found = new
    wall = {grid.days.visits[stop.visit].key: grid.wall.moment(stop.begin).replace(tzinfo=None) for stop in found.stops}
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
    said += _difference(days, others, mine, technician, day, found, name)
    if was is not None and was.told and (was.technician, was.begins) != (technician, wall[visit]):
        said.append(f"Somebody was told {was.begins:%A %-d %B, %-H:%M}: tell them.")
    return Moved(possible=True, begins=wall, said=tuple(said))


def laid_out(days: Days, technician: str, day: dt.date) -> Plan | None:
    """A technician's day as it is planned, with its ways, ferries and break; None where it cannot be done so."""
    mine = sorted((one for one in days.visits if _is_of(one, technician, day)), key=_begins)
    found = _timed(days, [_kept(one) for one in mine], technician, day) if mine else None
    if found is None:
        return None
    grid, timed = found
    orders: Orders = [tuple(range(len(mine))) if turn.number == timed.turn else () for turn in grid.turns]
    return as_plan(grid, Search(grid), orders)


def _difference(
    days: Days, others: Sequence[Visit], mine: Visit, technician: str, day: dt.date, found: Timed, name: dict[str, str]
) -> list[str]:
    """What it costs or saves on the road and waiting, and when they are home."""
    before = _timed(days, [_kept(one) for one in sorted(others, key=_begins)], technician, day)
    was = mine.before
    if was is not None and _is_of(mine, technician, day):
        before = _timed(days, [_kept(one) for one in sorted([*others, mine], key=_begins)], technician, day)
    home = Grid.of(days).wall.said(found.end)
    if before is None:
        return [f"{name[technician]} is home at {home}."]
    more = round(found.cost - before[1].cost)
    saved = 0
    if was is not None and not _is_of(mine, technician, day):
        there = [one for one in days.visits if _is_of(one, was.technician, was.begins.date())]
        with_it = _timed(days, [_kept(one) for one in sorted(there, key=_begins)], was.technician, was.begins.date())
        without = _timed(
            days,
            [_kept(one) for one in sorted(there, key=_begins) if one.key != mine.key],
            was.technician,
            was.begins.date(),
        )
        saved = round(with_it[1].cost - without[1].cost) if with_it and without else 0
    total = more - saved
    way = (
        f"{abs(total)} minutes {'more' if total > 0 else 'less'} on the road and waiting"
        if total
        else "as much time on the road and waiting"
    )
    return [f"{name[technician]} is home at {home}; {way} than now."]


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


def _timed(days: Days, visits: Sequence[Visit], technician: str, day: dt.date) -> tuple[Grid, Timed] | None:
    """One technician's day with these visits in this order; None where it cannot be done."""
    man = next(one for one in days.technicians if one.key == technician)
    grid = Grid.of(replace(days, technicians=(man,), visits=tuple(visits), days=(day,)))
    order = tuple(range(len(visits)))
    times = [(turn, Runner(grid, turn).timed(order)) for turn in grid.turns]
    found: list[tuple[Turn, Timed]] = [(turn, one) for turn, one in times if one is not None]
    return (grid, found[0][1]) if found else None


def _why_not(days: Days, mine: Visit, technician: str, begins: dt.datetime, name: dict[str, str]) -> str:
    man = next(one for one in days.technicians if one.key == technician)
    alone = replace(days, technicians=(man,), visits=(_at(mine, technician, begins),), days=(begins.date(),))
    grid = Grid.of(alone)
    if not any(Runner(grid, turn).timed((0,)) for turn in grid.turns):
        return left_out(grid, [() for _ in grid.turns], 0)[1]
    return f"{name[technician]} cannot do all visits of that day in this order and be home in working hours: another time, day or technician is needed."
