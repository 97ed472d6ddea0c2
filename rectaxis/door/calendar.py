"""What is due of a fleet's vehicles, as an iCalendar file."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable

from icalendar import Calendar, Event

from rectaxis.door.state import Standing


def calendar_of(standing: Iterable[Standing]) -> bytes:
    """A whole day for each next measurement and for each piece of open advice that has one. The same name is the same entry."""
    calendar = Calendar()
    calendar.add("prodid", "-//Rectaxis//what is due//EN")
    calendar.add("version", "2.0")
    for one in standing:
        if one.next_day is not None and one.day is not None:
            calendar.add_component(
                _entry(f"next/{one.job}", one.next_day, f"{one.vehicle.unit}: measure the alignment again", one.day)
            )
        for advice in one.open_advice:
            if advice.due is not None and one.day is not None:
                calendar.add_component(
                    _entry(
                        f"advice/{advice.job}/{advice.place}", advice.due, f"{one.vehicle.unit}: {advice.said}", one.day
                    )
                )
    return bytes(calendar.to_ical())


def _entry(name: str, day: dt.date, said: str, made: dt.datetime) -> Event:
    entry = Event()
    entry.add("uid", f"{name}@rectaxis")
    entry.add("summary", said)
    entry.add("dtstart", day)
    entry.add("dtend", day + dt.timedelta(days=1))
    entry.add("dtstamp", made.astimezone(dt.UTC))
    return entry
