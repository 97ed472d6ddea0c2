"""The same in the middle of a day: what has happened stays, what was said changes as little as possible, and who must be told is listed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping

from msgspec import Struct
from msgspec.structs import replace

from planning.grid import SAME_TIME, Grid
from planning.model import Before, Days, Standing, Technician
from planning.plan import as_it_is, as_plan, searched
from planning.result import Call, Out, Plan
from planning.search import Search

SECONDS = 5.0


class Change(Struct, frozen=True):
    """What becomes of a visit: ``code`` is ``same``, ``time``, ``hands`` (another technician), ``day`` or ``out``. ``told``: somebody was told."""

    visit: str
    code: str
    said: str
    told: bool


def in_the_middle(
    days: Days, plan: Plan, now: dt.datetime, late: Mapping[str, dt.datetime] | None = None, *, told: bool = True
) -> Days:
    """The days as they are at ``now`` (wall clock): what is done or begun is out of them, and everybody stands where the plan has them.

    ``late`` says of visits when they will really end. What is not begun keeps what was said of it, so that a new plan departs from it little.
    What the plan had left out stays out of it: it waits for the next whole plan, and nobody is told another time for its sake.
    """
    late = late or {}
    begun = {call.visit for out in plan.turns for call in out.stops if _wall(call.begins) <= now}
    before = {
        call.visit: Before(out.technician, _wall(call.begins), told) for out in plan.turns for call in out.stops if call.visit not in begun
    }  # fmt: skip
    left_out = {one.visit for one in plan.left_out}
    visits = tuple(
        replace(one, before=before.get(one.key, one.before)) for one in days.visits if one.key not in begun | left_out
    )
    crew = tuple(_standing(days, man, plan, now, late) for man in days.technicians)
    left = tuple(day for day in days.days if day >= now.date())
    return replace(days, now=now, days=left, visits=visits, technicians=crew)


def replanned(
    days: Days, plan: Plan, now: dt.datetime, late: Mapping[str, dt.datetime] | None = None, *, seconds: float = SECONDS, seed: int = 1,
    steps: int | None = None,
) -> tuple[Plan, Days]:  # fmt: skip
    """A new plan from ``now`` on, and the days that it is made from."""
    there = in_the_middle(days, plan, now, late)
    grid = Grid.of(there)
    orders = searched(grid, seconds, seed, steps=steps, begin=as_it_is(grid))
    return as_plan(grid, Search(grid, seed), orders), there


def changes(days: Days, plan: Plan) -> list[Change]:
    """What becomes of every visit of which an earlier plan said something: those first that somebody must be told."""
    calls = {call.visit: (out, call) for out in plan.turns for call in out.stops}
    names = {man.key: man.name for man in days.technicians}
    found = []
    for visit in days.visits:
        if visit.before is not None:
            code, said = _becomes(visit.name, visit.before, calls.get(visit.key), names)
            found.append(Change(visit.key, code, said, visit.before.told))
    return sorted(found, key=lambda one: (one.code == "same", not one.told))


def _becomes(name: str, before: Before, now: tuple[Out, Call] | None, names: Mapping[str, str]) -> tuple[str, str]:
    was = f"{before.begins:%-H:%M}"
    if now is None:
        return "out", f"{name} at {was} is left out."
    out, call = now
    begins = _wall(call.begins)
    who = (
        f" with {names[out.technician]} instead of {names.get(before.technician, before.technician)}"
        if out.technician != before.technician
        else ""
    )
    if begins.date() != before.begins.date():
        return "day", f"{name} moves from {before.begins:%A %-d %B}, {was} to {begins:%A %-d %B}, {begins:%-H:%M}{who}."
    if abs((begins - before.begins).total_seconds()) > SAME_TIME * 60:
        return "time", f"{name} moves from {was} to {begins:%-H:%M}{who}."
    return ("hands", f"{name} stays at {begins:%-H:%M},{who}.") if who else ("same", f"{name} stays at {was}.")


def _standing(days: Days, man: Technician, plan: Plan, now: dt.datetime, late: Mapping[str, dt.datetime]) -> Technician:
    today = [
        out for out in plan.turns if out.technician == man.key and out.day == now.date() and _wall(out.leaves) <= now
    ]
    if not today:
        return man
    begun = [call for out in today for call in out.stops if _wall(call.begins) <= now]
    out = today[-1]
    if _wall(out.back) <= now and not any(call.visit in late for call in out.stops):
        return man
    minutes = {visit.key: visit.minutes for visit in days.visits}
    used: dict[str, int] = {}
    for call in begun:
        if call.kit is not None:
            used[call.kit] = used.get(call.kit, 0) + minutes.get(call.visit, 0)
    place, free = _where(out, days, man, now, late)
    rested = out.pause is not None and _wall(out.pause) <= now
    one = Standing(now.date(), place, max(now, free), rested, used)
    return replace(man, standing=(*(other for other in man.standing if other.day != now.date()), one))


def _where(
    out: Out, days: Days, man: Technician, now: dt.datetime, late: Mapping[str, dt.datetime]
) -> tuple[str, dt.datetime]:
    """Where somebody is next free, and when: after the visit in hand, or where the way that is begun leads."""
    place = {visit.key: visit.place for visit in days.visits}
    here, free = man.home, _wall(out.leaves)
    for call in out.stops:
        on_the_way = call.legs and _wall(call.legs[0].leaves) <= now
        if _wall(call.begins) <= now:
            here, free = place[call.visit], late.get(call.visit, _wall(call.ends))
        elif on_the_way and free <= now:
            return place[call.visit], _wall(call.arrives)
        else:
            return here, free
    if out.home and _wall(out.home[0].leaves) <= now and free <= now:
        return man.home, _wall(out.back)
    return here, free


def _wall(moment: dt.datetime) -> dt.datetime:
    return moment.replace(tzinfo=None)


def to_tell(changed: list[Change]) -> Iterator[Change]:
    """Those of whom somebody must be told that something is other than was said."""
    return (one for one in changed if one.told and one.code != "same")
