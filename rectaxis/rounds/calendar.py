"""Somebody's visits as an iCalendar file."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from django.utils import timezone
from icalendar import Calendar, Event

from rectaxis.record.models import Job
from rectaxis.rounds.gather import call_of, minutes_of
from rectaxis.rounds.models import Crew
from rectaxis.rounds.took import taught

BACK, AHEAD = dt.timedelta(days=14), dt.timedelta(days=60)


def visits_of(crew: Crew) -> list[Job]:
    """From two weeks ago to two months ahead."""
    now = timezone.now()
    found = Job.objects.filter(technician=crew.person, planned_at__gte=now - BACK, planned_at__lt=now + AHEAD)
    return list(found.select_related("vehicle__fleet", "kit", "call")[:500])


def calendar_of(crew: Crew, visits: Sequence[Job]) -> bytes:
    """An entry for each visit. The same visit is the same entry, however often it is moved."""
    known, calendar = taught(), Calendar()
    calendar.add("prodid", "-//Rectaxis//visits//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"Visits of {crew}")
    for job in visits:
        entry = Event()
        entry.add("uid", f"visit/{job.pk}@rectaxis")
        entry.add("dtstamp", timezone.now())
        entry.add("dtstart", job.planned_at.astimezone(dt.UTC))
        entry.add("dtend", (job.planned_at + dt.timedelta(minutes=minutes_of(job, known)[0])).astimezone(dt.UTC))
        entry.add("summary", f"{job.vehicle.unit}, {job.vehicle.fleet.name}")
        entry.add("location", job.vehicle.stands_at)
        entry.add("description", " ".join(part for part in (job.asked, call_of(job).why) if part))
        entry.add("status", "CANCELLED" if job.status == Job.Status.ENDED else "CONFIRMED")
        calendar.add_component(entry)
    return bytes(calendar.to_ical())
