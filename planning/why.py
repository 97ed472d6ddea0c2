"""Sentences: why a visit stands where it stands, why one is left out, and what is to be known of the days."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Iterator

from msgspec.structs import replace

from planning.grid import Grid, Turn, open_hours, work_hours
from planning.model import Days, Technician, Urgency, Visit
from planning.result import Plan
from planning.search import Orders
from planning.timing import Runner, Stop, Timed

_WAIT = 20
"""Waits shorter than this are not spoken of."""
_URGENT = {
    Urgency.UNSAFE: "It is unsafe and goes before others.",
    Urgency.PROMISED: "It was promised.",
    Urgency.DUE: "",
    Urgency.WISH: "",
}


def day_said(day: dt.date) -> str:
    """A day in words: Tuesday 3 November."""
    return f"{day:%A} {day.day} {day:%B}"


def of_stop(grid: Grid, turn: Turn, found: Timed, stop: Stop) -> str:
    """Why a visit is done by this technician at this time."""
    visit, said = grid.days.visits[stop.visit], []
    man, place = grid.days.technicians[turn.technician], grid.network.places[grid.place[stop.visit]]
    said.append(_URGENT[visit.urgency])
    if visit.at or visit.on or visit.only:
        said.append("Its " + " and ".join(_wishes(visit)) + " was set by a person.")
    beside = [one for one in found.stops if grid.place[one.visit] == grid.place[stop.visit]]
    if len(beside) > 1:
        said.append(f"One of {len(beside)} visits to {place.name} on one trip.")
    if stop.way is not None:
        first = stop.way.sailings[0]
        said.append(
            f"{man.name} takes the ferry of {grid.wall.said(first.leaves)}, which is there at {grid.wall.said(stop.way.sailings[-1].lands)}."
        )
    wait = stop.begin - stop.arrive
    if wait >= _WAIT and stop.pause is None:
        said.append(
            f"It waits {wait} minutes for {'its promised time' if visit.promised else 'the yard or the vehicle'}."
        )
    if visit.by is not None and turn.day > visit.by:
        earlier = "; no earlier day had room" if visit.by >= min(grid.days.days) else ""
        said.append(f"It was due by {day_said(visit.by)}{earlier}.")
    able = {grid.turns[number].technician for number, windows in enumerate(grid.windows[stop.visit]) if windows}
    if len(able) == 1 and len(grid.days.technicians) > 1 and visit.only is None:
        said.append(f"Only {man.name} can do it on these days.")
    return " ".join(one for one in said if one) or "It lies on the way and costs least here."


def _wishes(visit: Visit) -> Iterator[str]:
    if visit.only:
        yield "technician"
    if visit.on:
        yield "day"
    if visit.at:
        yield "time"


def left_out(grid: Grid, orders: Orders, visit: int) -> tuple[str, str]:
    """Why a visit is in no turn: a code and a sentence."""
    asked, days = grid.days.visits[visit], grid.days
    place = grid.network.places[grid.place[visit]]
    crew = [man for man in days.technicians if asked.only in (None, man.key)]
    dates = [day for day in days.days if asked.on in (None, day)]
    if not dates:
        return (
            "other-day",
            f"{asked.name} is wished on {day_said(asked.on)}, which is none of these days." if asked.on else "",
        )
    if not any(work_hours(man, day, grid.wall) for man in crew for day in dates):
        if len(crew) == 1:
            return "nobody", f"{crew[0].name} does not work on {_days_said(dates)}."
        return "nobody", f"Nobody who may do {asked.name} works on {_days_said(dates)}."
    able = [man for man in crew if set(asked.skills) <= set(man.skills)]
    if not able:
        return (
            "skill",
            f"{asked.name} needs somebody who has learned {', '.join(asked.skills)}; nobody who may do it has.",
        )
    if asked.kits is not None and not any(set(asked.kits) & set(man.kits) for man in able):
        return "kit", f"No kit in {_whose(able)} can judge {asked.name}."
    open_days = [day for day in dates if open_hours(place, day, grid.wall)]
    if not open_days:
        return "closed", f"{place.name} is closed on {_days_said(dates)}, so {asked.name} cannot be done."
    if not any(grid.windows[visit]):
        return _no_window(grid, asked, able, dates)
    return _no_room(grid, orders, visit)


def _no_window(grid: Grid, asked: Visit, able: list[Technician], dates: list[dt.date]) -> tuple[str, str]:
    """It could never begin: the certificate, the vehicle, the promise, or a span that is too short for it."""
    carried = [
        kit for kit in grid.days.kits if kit.key in (asked.kits or ()) and any(kit.key in man.kits for man in able)
    ]
    ended = [(kit.certified_until, kit) for kit in carried if kit.certified_until is not None]
    if ended:
        until, kit = max(ended, key=lambda one: one[0])
        clear = Grid.of(_without_certificates(grid.days))
        number = grid.days.visits.index(asked)
        if any(clear.windows[number]):
            return (
                "certificate",
                f"The certificate of {kit.name} holds until {_time_said(until)}; {asked.name} would be done after that.",
            )
    if asked.ready:
        return (
            "not-ready",
            f"{asked.name} does not stand ready for {asked.minutes} minutes while the yard is open and somebody works.",
        )
    if asked.at is not None or asked.promised is not None:
        return "time", _not_then(grid, asked, able)
    return (
        "too-long",
        f"{asked.name} takes {asked.minutes} minutes; on {_days_said(dates)} no time that is open and worked in is so long.",
    )


def _not_then(grid: Grid, asked: Visit, able: list[Technician]) -> str:
    """Why it cannot begin at the time that is set."""
    then = asked.at or (asked.promised.start if asked.promised else grid.days.now)
    begin = grid.wall.minute(then)
    place = next(one for one in grid.network.places if one.key == asked.place)

    def holds(spans: list[tuple[int, int]]) -> bool:
        return any(start <= begin and begin + asked.minutes <= end for start, end in spans)

    said = f"{asked.name} would be from {then:%-H:%M} to {grid.wall.said(begin + asked.minutes)}"
    if begin < grid.wall.minute(grid.days.now):
        return f"{said}, which is over."
    if not holds(open_hours(place, then.date(), grid.wall)):
        return f"{said}; {place.name} is not open then."
    if not any(holds(work_hours(man, then.date(), grid.wall)) for man in able):
        return f"{said}; {' and '.join(man.name for man in able)} does not work then."
    return f"{said}; that cannot be begun at the time that is set."


def _without_certificates(days: Days) -> Days:
    return replace(days, kits=tuple(replace(kit, certified_until=None) for kit in days.kits))


def _no_room(grid: Grid, orders: Orders, visit: int) -> tuple[str, str]:
    """It could be done alone: then the others take the time; or nobody gets there and back."""
    asked = grid.days.visits[visit]
    turns = [turn for turn in grid.turns if grid.windows[visit][turn.number]]
    alone = [turn for turn in turns if Runner(grid, turn).timed((visit,)) is not None]
    if not alone:
        return _nobody_gets_there(grid, asked)
    twins = grid.twins.get(visit, frozenset())
    there = [grid.days.visits[one] for order in orders for one in order if one in twins]
    if there:
        return (
            "twin",
            f"{asked.name} and {there[0].name} are visits to the same vehicle; one is planned, and two on a day are not.",
        )
    least = min((turn for turn in alone), key=lambda turn: Runner(grid, turn).timed((visit,)).cost)  # type: ignore[union-attr] # it is possible
    man = grid.days.technicians[least.technician]
    return (
        "no-room",
        f"The hours are full: {asked.name} would need {_hours_said(asked.minutes + _cost(grid, least, visit))} of {man.name}, and those planned matter more or lie nearer.",
    )


def _cost(grid: Grid, turn: Turn, visit: int) -> int:
    found = Runner(grid, turn).timed((visit,))
    return 0 if found is None else round(found.cost)


def _nobody_gets_there(grid: Grid, asked: Visit) -> tuple[str, str]:
    place = next(one for one in grid.network.places if one.key == asked.place)
    island = place.island
    gone = [one for one in grid.network.dropped if _touches(grid, one.ferry.origin, one.ferry.target, island)]
    words = {"cancelled": "is cancelled", "closed": "can no longer be booked", "full": "has no place for a van"}
    if gone:
        one = gone[0]
        more = f", and {len(gone) - 1} more" if len(gone) > 1 else ""
        return "ferry", (
            f"Nobody gets to {place.name} and home in working hours: the ferry of {grid.wall.said(one.leaves)} {words[one.why]}{more}."
        )
    return "too-far", f"Nobody gets to {place.name} for {asked.minutes} minutes and home again within working hours."


def _touches(grid: Grid, origin: str, target: str, island: str) -> bool:
    number, islands = grid.network.number, grid.network.island
    return island in (islands[number[origin]], islands[number[target]])


def notes(grid: Grid, plan: Plan) -> Iterator[str]:
    """What is to be known of the days: the clock, ferries that do not go, kits, parts."""
    for day in grid.days.days:
        jump = grid.wall.jump(day)
        if jump:
            way = "forward: the night is" if jump > 0 else "back: the night is"
            longer = "shorter" if jump > 0 else "longer"
            yield f"On {day_said(day)} the clock goes {way} {abs(jump)} minutes {longer}. All times are as the clock shows them that day."
    names = {place.key: place.name for place in grid.network.places}
    for one in grid.network.dropped:
        if one.why == "cancelled":
            when = f"{grid.wall.said(one.leaves)} on {day_said(grid.wall.day(one.leaves))}"
            way = f"from {names[one.ferry.origin]} to {names[one.ferry.target]}"
            yield f"The ferry of {when} {way} is cancelled: nothing is planned with it."
    for kit in grid.days.kits:
        until = kit.certified_until
        if until is not None and until < grid.days.now:
            yield f"The certificate of {kit.name} ran out on {day_said(until.date())}: nothing is planned with it."
        elif until is not None and until.date() <= max(grid.days.days):
            yield f"The certificate of {kit.name} holds until {_time_said(until)}: nothing is planned with it after that."
    yield from _parts(grid, plan)
    yield from _homeless(grid, plan)


def _time_said(until: dt.datetime) -> str:
    """A time, or the end of a day."""
    day = day_said(until.date())
    return f"the end of {day}" if (until.hour, until.minute) == (23, 59) else f"{until:%-H:%M} on {day}"


def _homeless(grid: Grid, plan: Plan) -> Iterator[str]:
    out = {(one.technician, one.day) for one in plan.turns}
    for turn in grid.turns:
        man = grid.days.technicians[turn.technician]
        if turn.begun and (man.key, turn.day) not in out:
            yield f"{man.name} cannot be home in working hours on {day_said(turn.day)}: nothing more is planned."


def _parts(grid: Grid, plan: Plan) -> Iterator[str]:
    """Parts that the visits are likely to use up beyond what is in the van."""
    visits = {visit.key: visit for visit in grid.days.visits}
    for man in grid.days.technicians:
        needed: dict[str, float] = defaultdict(float)
        for turn in plan.turns:
            if turn.technician == man.key:
                for stop in turn.stops:
                    for part, many in visits[stop.visit].needs.items():
                        needed[part] += many
        for part, many in sorted(needed.items()):
            if many > man.stock.get(part, 0):
                yield f"{man.name}'s visits are likely to need {many:.0f} of {part}; in the van there are {man.stock.get(part, 0)}."


def _days_said(days: list[dt.date]) -> str:
    return day_said(days[0]) if len(days) == 1 else f"these {len(days)} days"


def _whose(crew: list[Technician]) -> str:
    return f"the van of {crew[0].name}" if len(crew) == 1 else "the vans"


def _hours_said(minutes: int) -> str:
    hours, rest = divmod(minutes, 60)
    return f"{rest} minutes" if not hours else f"{hours} h {rest:02} min"
