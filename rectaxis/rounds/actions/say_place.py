"""Write down places, roads, ferries and what is other than their time table."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections import defaultdict
from collections.abc import Mapping
from itertools import product

from django.db import transaction
from django.db.models import ProtectedError

from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.rounds.models import Ferry, Place, Road, Sailing

MOST_ROADS = 20_000
_LONGEST_MIN = 24 * 60


class PlaceError(RecordError):
    """A place, road or ferry that cannot be; the text says why."""


@transaction.atomic
def say_place(person: User, place: Place) -> Place:
    """Add or change a place. **Raises** PermissionDenied, PlaceError."""
    demand(allowed=may_work(person))
    if place.kind == Place.Kind.YARD and place.fleet is None:
        raise PlaceError("Say whose yard it is.")
    if place.kind != Place.Kind.YARD:
        place.fleet = None
    if Place.objects.filter(kind=place.kind, fleet=place.fleet, name=place.name).exclude(pk=place.pk).exists():
        raise PlaceError(f"There is a {place.get_kind_display()} {place.name} already.")
    if (place.opens is None) != (place.closes is None):
        raise PlaceError("Say both when it opens and when it closes, or neither.")
    place.save()
    return place


@transaction.atomic
def say_ferry(person: User, ferry: Ferry) -> Ferry:
    """Add or change a line with its departures. **Raises** PermissionDenied, PlaceError."""
    demand(allowed=may_work(person))
    if ferry.origin_id == ferry.target_id:
        raise PlaceError("A ferry goes from one port to another.")
    ferry.departs = sorted(set(ferry.departs))
    ferry.save()
    return ferry


@transaction.atomic
def say_sailing(
    person: User, ferry: Ferry, day: dt.date, departs: dt.time, *, cancelled: bool, booked: int = 0
) -> Sailing:
    """A departure on one day is cancelled, or places on it are booked; neither: it is as the time table has it.

    **Raises** PermissionDenied, PlaceError.
    """
    demand(allowed=may_work(person))
    ferry = locking(Ferry).get(pk=ferry.pk)
    if departs not in ferry.departs or day.weekday() not in ferry.days:
        raise PlaceError(f"{ferry} has no departure at {departs:%H:%M} on {day:%A %-d %B}.")
    if booked > ferry.capacity:
        raise PlaceError(f"It takes {ferry.capacity} of our vans at most.")
    return Sailing.objects.update_or_create(
        ferry=ferry, day=day, departs=departs, defaults={"cancelled": cancelled, "booked": booked}
    )[0]


@transaction.atomic
def remove_place(person: User, place: Place | Ferry) -> None:
    """Take a place or a ferry away. **Raises** PermissionDenied, PlaceError where something still stands on it."""
    demand(allowed=may_work(person))
    try:
        place.delete()
    except ProtectedError:
        raise PlaceError(f"{place} is still a home, or a ferry goes there: change those first.") from None


@transaction.atomic
def read_roads(person: User, text: str) -> int:
    """Roads from lines ``from,to,minutes`` by the places' names: all, or none. How many lines there are. A name that several have means all of them.

    **Raises** PermissionDenied, PlaceError, which names the line.
    """
    demand(allowed=may_work(person))
    places = defaultdict[str, list[Place]](list)
    for place in Place.objects.all():
        places[place.name.casefold()].append(place)
    rows = [row for row in csv.reader(io.StringIO(text)) if any(cell.strip() for cell in row)]
    if rows and [cell.strip().casefold() for cell in rows[0]][:3] == ["from", "to", "minutes"]:
        rows = rows[1:]
    if not rows or len(rows) > MOST_ROADS:
        raise PlaceError(f"Expected 1 to {MOST_ROADS} lines such as Skerry Quay,Upper Holm,25; got {len(rows)}.")
    for number, row in enumerate(rows, start=1):
        origins, targets, minutes = _road(number, row, places)
        for origin, target in product(origins, targets):
            Road.objects.update_or_create(origin=origin, target=target, defaults={"minutes": minutes})
    return len(rows)


def _road(number: int, row: list[str], places: Mapping[str, list[Place]]) -> tuple[list[Place], list[Place], int]:
    cells = [cell.strip() for cell in row]
    if len(cells) != 3 or not cells[2].isdecimal() or not 0 <= int(cells[2][:6]) <= _LONGEST_MIN:  # noqa: PLR2004 - from, to, minutes
        raise PlaceError(
            f"Line {number}: expected from, to and whole minutes up to {_LONGEST_MIN}, got {','.join(row)[:80]}."
        )
    for cell in cells[:2]:
        if cell.casefold() not in places:
            raise PlaceError(f"Line {number}: there is no place {cell[:80]}.")
    return places[cells[0].casefold()], places[cells[1].casefold()], int(cells[2])
