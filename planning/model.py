"""What a plan is made from, as frozen types with one door from JSON: places, ferries, technicians, kits, visits.

Times are wall-clock times of ``zone``: ``2026-11-03T08:00:00`` for a moment, ``08:00`` for what is the same on many days. Days of the week are
numbers, 0 for Monday. Durations are whole minutes, places are degrees north and east.
"""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections import Counter
from collections.abc import Iterable, Sequence
from enum import StrEnum
from typing import Annotated, Any

import msgspec
from msgspec import Meta, Struct

from planning.errors import DayFileError

FORMAT = "rectaxis-days"
VERSION = 1
FIRST_YEAR, LAST_YEAR = 1970, 2200
"""Sums of days within these cannot leave what a computer's calendar has."""
EVERY_DAY = (0, 1, 2, 3, 4, 5, 6)

Minutes = Annotated[int, Meta(ge=0, le=7 * 24 * 60)]
Weekday = Annotated[int, Meta(ge=0, le=6)]
Clock = Annotated[str, Meta(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")]
"""A time of day, such as 08:30."""
Moment = Annotated[dt.datetime, Meta(tz=False)]
Key = Annotated[str, Meta(min_length=1, max_length=80)]


class Urgency(StrEnum):
    """How much a visit matters, the most first."""

    UNSAFE = "unsafe"
    PROMISED = "promised"
    DUE = "due"
    WISH = "wish"


class Hours(Struct, frozen=True, forbid_unknown_fields=True):
    """From when till when, on some days of the week."""

    start: Clock
    end: Clock
    days: tuple[Weekday, ...] = EVERY_DAY


class Span(Struct, frozen=True, forbid_unknown_fields=True):
    """From one moment to another."""

    start: Moment
    end: Moment


class Place(Struct, frozen=True, forbid_unknown_fields=True):
    """A yard, a home, a port. Places with the same ``island`` are joined by road. ``unpack`` is what it takes to set up on arriving there.

    A place without ``hours`` is always open; on a day in ``closed`` it is not.
    """

    key: Key
    name: str
    north: Annotated[float, Meta(ge=-90, le=90)]
    east: Annotated[float, Meta(ge=-180, le=180)]
    island: str = ""
    hours: tuple[Hours, ...] = ()
    closed: tuple[dt.date, ...] = ()
    unpack: Minutes = 0


class Road(Struct, frozen=True, forbid_unknown_fields=True):
    """How long it takes from one place to another, where it is known: it stands before what is reckoned from the distance."""

    origin: Key
    target: Key
    minutes: Minutes


class Ferry(Struct, frozen=True, forbid_unknown_fields=True):
    """A departure that comes again on some days of the week.

    A van is at the port ``check_in`` minutes before. ``capacity`` is how many of our vans it takes. Places are booked until
    ``books_until`` minutes before it leaves; None where nothing is booked. It does not go on a day in ``cancelled``; on one in ``booked``
    places for that many vans are ours already.
    """

    key: Key
    origin: Key
    target: Key
    departs: Clock
    minutes: Minutes
    days: tuple[Weekday, ...] = EVERY_DAY
    check_in: Minutes = 15
    capacity: Annotated[int, Meta(ge=0)] = 99
    books_until: Minutes | None = None
    cancelled: tuple[dt.date, ...] = ()
    booked: dict[dt.date, int] = {}


class Kit(Struct, frozen=True, forbid_unknown_fields=True):
    """A kit: until when its certificate holds, and how many minutes of work a day its battery lasts. None: no limit."""

    key: Key
    name: str
    certified_until: Moment | None = None
    battery: Minutes | None = None


class Pause(Struct, frozen=True, forbid_unknown_fields=True):
    """A break of some minutes that begins between two times of the day. Who is back before the later one takes it at home."""

    minutes: Minutes
    earliest: Clock
    latest: Clock


class Standing(Struct, frozen=True, forbid_unknown_fields=True):
    """Where a technician is on a day that has begun, and from when they are free; ``rested`` once the break is taken.

    ``used`` are minutes that a kit's battery has worked that day already.
    """

    day: dt.date
    place: Key
    free: Moment
    rested: bool = False
    used: dict[str, int] = {}


class Technician(Struct, frozen=True, forbid_unknown_fields=True):
    """Who works when, from which home, with which kits and parts in the van. A day begins and ends at home."""

    key: Key
    name: str
    home: Key
    hours: tuple[Hours, ...]
    pause: Pause | None = None
    absences: tuple[Span, ...] = ()
    skills: tuple[str, ...] = ()
    kits: tuple[Key, ...] = ()
    standing: tuple[Standing, ...] = ()
    stock: dict[str, int] = {}


class Before(Struct, frozen=True, forbid_unknown_fields=True):
    """What an earlier plan said of a visit, and whether somebody was told: who, and when it begins."""

    technician: Key
    begins: Moment
    told: bool = False


class Visit(Struct, frozen=True, forbid_unknown_fields=True):
    """One vehicle to be visited once, for ``minutes``; it may take from ``low`` to ``high``.

    ``kits`` are those that can judge what is to be judged, None where none is needed. The vehicle stands ready within ``ready``, or always where that is empty; all of
    the visit lies within one of those spans and within the place's hours. ``promised`` is what was promised of its beginning. ``by`` is the
    last day on which it is on time. A person's wish: ``only`` this technician, ``on`` that day, ``at`` that time; what is wished is kept.
    ``needs`` are parts that it is likely to use up.
    """

    key: Key
    name: str
    vehicle: Key
    place: Key
    minutes: Annotated[int, Meta(ge=1, le=24 * 60)]
    low: Minutes = 0
    high: Minutes = 0
    urgency: Urgency = Urgency.DUE
    kits: tuple[Key, ...] | None = None
    skills: tuple[str, ...] = ()
    ready: tuple[Span, ...] = ()
    promised: Span | None = None
    by: dt.date | None = None
    only: Key | None = None
    on: dt.date | None = None
    at: Moment | None = None
    before: Before | None = None
    needs: dict[str, float] = {}


class Days(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """All that a plan is made from. ``now`` is when it is made: no ferry is booked after its booking closed, nothing begins before.
    Roads that are not told take the great-circle distance times ``road_factor`` at ``speed_kmh``. ``waits_weigh`` is what a minute of waiting
    counts against one on the road.
    """

    format: str = FORMAT
    version: int = VERSION
    zone: str
    now: Moment
    days: Annotated[tuple[dt.date, ...], Meta(min_length=1, max_length=14)]
    places: tuple[Place, ...]
    technicians: tuple[Technician, ...]
    visits: Annotated[tuple[Visit, ...], Meta(max_length=1000)]
    kits: tuple[Kit, ...] = ()
    ferries: tuple[Ferry, ...] = ()
    roads: tuple[Road, ...] = ()
    speed_kmh: Annotated[float, Meta(gt=0, le=200)] = 45.0
    road_factor: Annotated[float, Meta(ge=1, le=5)] = 1.35
    waits_weigh: Annotated[float, Meta(ge=0, le=1)] = 1.0

    @classmethod
    def from_json(cls, text: str | bytes) -> Days:
        """From a file of days. **Raises** DayFileError with every reason that was found."""
        try:
            found = msgspec.json.decode(text, type=cls)
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
            raise DayFileError([f"Expected a file of days in JSON: {error}"]) from None
        faults = [*_faults(found)]
        if faults:
            raise DayFileError(faults)
        return found

    def to_json(self) -> bytes:
        """As a file of days, indented."""
        return msgspec.json.format(msgspec.json.encode(self), indent=2)


def schema() -> dict[str, Any]:
    """The JSON Schema of a file of days."""
    return msgspec.json.schema(Days)


def _faults(days: Days) -> Iterable[str]:
    if days.format != FORMAT or days.version != VERSION:
        yield f"Expected format {FORMAT}, version {VERSION}, got {days.format}, version {days.version}"
    try:
        zoneinfo.ZoneInfo(days.zone)
    except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError):
        yield f"zone: expected a time zone such as Europe/Lisbon, got {days.zone}"
    odd = sorted(
        {
            f"{day:%Y-%m-%d}" if day.year >= FIRST_YEAR else f"the year {day.year}"
            for day in _dates(days)
            if not FIRST_YEAR <= day.year <= LAST_YEAR
        }
    )
    yield from (f"expected days from {FIRST_YEAR} to {LAST_YEAR}, got {day}" for day in odd)
    lists: dict[str, Sequence[Any]] = {
        "places": days.places, "technicians": days.technicians, "kits": days.kits, "visits": days.visits, "ferries": days.ferries,
    }  # fmt: skip
    known = {name: {one.key for one in ones} for name, ones in lists.items()}
    for name, ones in lists.items():
        yield from (
            f"{name}: the key {key} stands there more than once"
            for key, many in Counter(o.key for o in ones).items()
            if many > 1
        )
    for where, key, name in _named(days):
        if key not in known[name]:
            yield f"{where}: expected one of the {name}, got {key}"


def _dates(data: Any) -> Iterable[dt.date]:
    """Every day and moment in a file of days."""
    if isinstance(data, dt.date):
        yield data
    elif isinstance(data, Struct):
        for name in data.__struct_fields__:
            yield from _dates(getattr(data, name))
    elif isinstance(data, tuple | list):
        for one in data:
            yield from _dates(one)
    elif isinstance(data, dict):
        yield from _dates(tuple(data))


def _named(days: Days) -> Iterable[tuple[str, str, str]]:
    """Where each key is named, which, and in which list it should stand."""
    for man in days.technicians:
        yield f"technicians/{man.key}/home", man.home, "places"
        yield from ((f"technicians/{man.key}/kits", key, "kits") for key in man.kits)
        yield from ((f"technicians/{man.key}/standing", one.place, "places") for one in man.standing)
    for ferry in days.ferries:
        yield from ((f"ferries/{ferry.key}", key, "places") for key in (ferry.origin, ferry.target))
    for road in days.roads:
        yield from (("roads", key, "places") for key in (road.origin, road.target))
    for visit in days.visits:
        yield f"visits/{visit.key}/place", visit.place, "places"
        yield from ((f"visits/{visit.key}/kits", key, "kits") for key in visit.kits or ())
        if visit.only is not None:
            yield f"visits/{visit.key}/only", visit.only, "technicians"
        if visit.before is not None:
            yield f"visits/{visit.key}/before", visit.before.technician, "technicians"
