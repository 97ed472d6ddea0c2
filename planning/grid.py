"""The days made ready for reckoning: every technician's turns of work, and when which visit may begin in which turn."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass, field

from planning.clock import Wall
from planning.model import Days, Place, Technician, Visit
from planning.network import Network

AnyWindow = tuple[int, int, int]
"""The first and the last minute at which a visit may begin, and the number of its kit, -1 for none."""
Interval = tuple[int, int]
_FAR = 1 << 40
SAME_TIME = 15
"""Minutes by which a beginning may move and still be what was said."""
_NO_KIT = -1


@dataclass(frozen=True)
class Turn:
    """A time of work without an absence in it: from ``start`` till ``end``, out from a place and back to another.

    ``pause`` is the break: how many minutes, and between when it begins; None where there is none. A turn that is ``begun`` starts at ``start`` and
    not later. ``battery`` has the minutes of work that a kit, by its number, has left.
    """

    number: int
    technician: int
    day: dt.date
    start: int
    end: int
    origin: int
    home: int
    pause: tuple[int, int, int] | None
    begun: bool
    battery: dict[int, int]


@dataclass(frozen=True)
class Grid:
    """What the search goes by. ``windows[visit][turn]`` is when it may begin there, empty where never."""

    days: Days
    wall: Wall
    network: Network
    turns: list[Turn]
    windows: list[list[tuple[AnyWindow, ...]]]
    place: list[int]
    minutes: list[int]
    twins: dict[int, frozenset[int]] = field(default_factory=dict)
    """Visits to the same vehicle, which cannot be at one time."""

    @classmethod
    def of(cls, days: Days) -> Grid:
        """The grid of some days."""
        wall = Wall(days.zone)
        network = Network(days, wall)
        turns = [*_turns(days, wall, network)]
        windows = [[_windows(days, wall, visit, turn) for turn in turns] for visit in days.visits]
        place = [network.number[visit.place] for visit in days.visits]
        by_vehicle: dict[str, set[int]] = {}
        for index, visit in enumerate(days.visits):
            by_vehicle.setdefault(visit.vehicle, set()).add(index)
        twins = {one: frozenset(those - {one}) for those in by_vehicle.values() if len(those) > 1 for one in those}
        return cls(days, wall, network, turns, windows, place, [visit.minutes for visit in days.visits], twins)


def without(spans: list[Interval], holes: list[Interval]) -> list[Interval]:
    """What is left of some spans without the holes."""
    for hole_start, hole_end in holes:
        left = []
        for start, end in spans:
            left += [part for part in ((start, min(end, hole_start)), (max(start, hole_end), end)) if part[0] < part[1]]
        spans = left
    return spans


def common(one: list[Interval], other: list[Interval]) -> list[Interval]:
    """What lies in a span of both."""
    both = ((max(a[0], b[0]), min(a[1], b[1])) for a in one for b in other)
    return [span for span in both if span[0] < span[1]]


def work_hours(man: Technician, day: dt.date, wall: Wall) -> list[Interval]:
    """When a technician works on a day, without absences."""
    hours = [wall.between(day, one.start, one.end) for one in man.hours if day.weekday() in one.days]
    return without(hours, [(wall.minute(one.start), wall.minute(one.end)) for one in man.absences])


def open_hours(place: Place, day: dt.date, wall: Wall) -> list[Interval]:
    """When a place is open on a day, with what the night before reaches into it."""
    if not place.hours:
        spans = [(wall.on(day, "00:00"), wall.on(day + dt.timedelta(days=1), "00:00"))]
        return [] if day in place.closed else spans
    found, midnight = [], wall.on(day, "00:00")
    for that in (day - dt.timedelta(days=1), day):
        if that not in place.closed:
            found += [wall.between(that, one.start, one.end) for one in place.hours if that.weekday() in one.days]
    return [span for span in found if span[1] > midnight]


def _turns(days: Days, wall: Wall, network: Network) -> Iterator[Turn]:
    now, number = wall.minute(days.now), 0
    kits = {kit.key: (index, kit.battery) for index, kit in enumerate(days.kits)}
    for index, man in enumerate(days.technicians):
        for day in sorted(set(days.days)):
            at = next((one for one in man.standing if one.day == day), None)
            free = wall.minute(at.free) if at else now
            home, first = network.number[man.home], True
            for start, end in work_hours(man, day, wall):
                if max(start, free) >= end:
                    continue
                begun = at is not None and first
                pause = None
                if man.pause is not None and not (at and at.rested):
                    pause = (man.pause.minutes, wall.on(day, man.pause.earliest), wall.on(day, man.pause.latest))
                used = at.used if at else {}
                battery = {
                    kit: most - used.get(key, 0) for key in man.kits for kit, most in [kits[key]] if most is not None
                }
                origin = network.number[at.place] if at and begun else home
                yield Turn(number, index, day, max(start, free), end, origin, home, pause, begun, battery)
                number, first = number + 1, False


def _windows(days: Days, wall: Wall, visit: Visit, turn: Turn) -> tuple[AnyWindow, ...]:
    man = days.technicians[turn.technician]
    if (visit.only is not None and visit.only != man.key) or (visit.on is not None and visit.on != turn.day):
        return ()
    if not set(visit.skills) <= set(man.skills):
        return ()
    place = next(one for one in days.places if one.key == visit.place)
    spans = common([(turn.start, turn.end)], open_hours(place, turn.day, wall))
    if visit.ready:
        spans = common(spans, [(wall.minute(one.start), wall.minute(one.end)) for one in visit.ready])
    begins = [(start, end - visit.minutes) for start, end in spans]
    return tuple(sorted({*_with_kits(days, wall, visit, man, _as_wished(wall, visit, turn.day, begins))}))


def _as_wished(wall: Wall, visit: Visit, day: dt.date, begins: list[Interval]) -> list[Interval]:
    if visit.promised is not None:
        first, last = wall.minute(visit.promised.start), wall.minute(visit.promised.end)
        begins = [(max(start, first), min(end, last)) for start, end in begins]
    if visit.before is not None and visit.before.told:
        # Who was told a time is not ready before it.
        said = wall.minute(visit.before.begins)
        if wall.day(said) == day:
            begins = [(max(start, said - SAME_TIME), end) for start, end in begins]
    if visit.at is not None:
        at = wall.minute(visit.at)
        begins = [(max(start, at), min(end, at)) for start, end in begins]
    return [(start, end) for start, end in begins if start <= end]


def _with_kits(days: Days, wall: Wall, visit: Visit, man: Technician, begins: list[Interval]) -> Iterator[AnyWindow]:
    if visit.kits is None:
        yield from ((start, end, _NO_KIT) for start, end in begins)
        return
    for number, kit in enumerate(days.kits):
        if kit.key in visit.kits and kit.key in man.kits:
            last = _FAR if kit.certified_until is None else wall.minute(kit.certified_until) - visit.minutes
            yield from ((start, min(end, last), number) for start, end in begins if start <= last)
