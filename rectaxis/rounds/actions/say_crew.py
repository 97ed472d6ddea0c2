"""Write down who works when and with what, when somebody is away, and give out the address of a calendar."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Sequence
from hashlib import sha256

from django.db import transaction
from django.utils import timezone
from icalendar import Calendar

from rectaxis.common.days import within_reason
from rectaxis.common.locks import locking
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.rounds.models import Absence, Crew

MOST_ENTRIES = 2_000


class CrewError(RecordError):
    """Hours or an absence that cannot be; the text says why."""


@transaction.atomic
def say_crew(person: User, crew: Crew, kits: Sequence[Kit]) -> Crew:
    """Add or change somebody's hours. **Raises** PermissionDenied, CrewError."""
    demand(allowed=may_work(person))
    if crew.ends <= crew.starts:
        raise CrewError("Work ends after it begins.")
    if crew.pause_until < crew.pause_from:
        raise CrewError("The break begins at the latest after it begins at the earliest.")
    crew.save()
    crew.kits.set(kits)
    return crew


@transaction.atomic
def be_away(person: User, crew: Crew, starts: dt.datetime, ends: dt.datetime, why: str = "") -> Absence:
    """Somebody is away; the same twice is once. **Raises** PermissionDenied, CrewError."""
    demand(allowed=may_work(person))
    if ends <= starts:
        raise CrewError("It ends after it begins.")
    return Absence.objects.get_or_create(crew=crew, starts=starts, ends=ends, defaults={"why": why[:120]})[0]


@transaction.atomic
def be_back(person: User, absence: Absence) -> None:
    """Somebody is not away after all. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    absence.delete()


@transaction.atomic
def read_calendar(person: User, crew: Crew, data: bytes) -> int:
    """Absences from an iCalendar file: each entry once, changed ones anew. How many there are. **Raises** PermissionDenied, CrewError."""
    demand(allowed=may_work(person))
    crew = locking(Crew).get(pk=crew.pk)
    try:
        calendar = Calendar.from_ical(data)
        found = [_entry(entry) for entry in calendar.walk("VEVENT")]
    except (ValueError, KeyError, TypeError, AttributeError, IndexError, OverflowError):
        raise CrewError(
            "Expected a calendar (iCalendar, .ics) with entries that have a beginning; this cannot be read as one."
        ) from None
    if len(found) > MOST_ENTRIES:
        raise CrewError(f"At most {MOST_ENTRIES} entries are read, got {len(found)}.")
    kept = [one for one in found if one is not None]
    for uid, starts, ends, why in kept:
        Absence.objects.update_or_create(crew=crew, uid=uid, defaults={"starts": starts, "ends": ends, "why": why})
    return len(kept)


def _entry(entry: object) -> tuple[str, dt.datetime, dt.datetime, str] | None:
    """An entry's name, beginning, end and words; None for one that takes no time or says that one is free then."""
    get = entry.get  # type: ignore[attr-defined] # of the library's own mapping
    if str(get("transp", "")).upper() == "TRANSPARENT" or str(get("status", "")).upper() == "CANCELLED":
        return None
    start = get("dtstart").dt
    end = (
        get("dtend").dt
        if get("dtend")
        else start + get("duration").dt
        if get("duration")
        else start + dt.timedelta(days=not _timed(start))
    )
    starts, ends = _moment(start), _moment(end)
    if ends <= starts or not (within_reason(starts.date()) and within_reason(ends.date())):
        return None
    uid = str(get("uid", "")) or sha256(f"{starts}{ends}{get('summary', '')}".encode()).hexdigest()
    return uid[:300].replace("\x00", ""), starts, ends, str(get("summary", ""))[:120].replace("\x00", "")


def _timed(when: dt.date) -> bool:
    return isinstance(when, dt.datetime)


def _moment(when: dt.date) -> dt.datetime:
    if isinstance(when, dt.datetime):
        return timezone.make_aware(when) if timezone.is_naive(when) else when
    return timezone.make_aware(dt.datetime.combine(when, dt.time()))


@transaction.atomic
def give_calendar(person: User, crew: Crew) -> str:
    """The secret of a new address of somebody's calendar; the one before is good for nothing from now on. It is not kept, only its digest.

    **Raises** PermissionDenied.
    """
    demand(allowed=may_work(person))
    secret = secrets.token_urlsafe(24)
    Crew.objects.filter(pk=crew.pk).update(calendar=digest(secret))
    return secret


def digest(secret: str) -> str:
    """What is kept of a secret."""
    return sha256(secret.encode()).hexdigest()
