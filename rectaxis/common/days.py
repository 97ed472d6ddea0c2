"""Days: kept as text, and as the moments at which they begin."""

from __future__ import annotations

import datetime as dt

from django.utils import timezone


def day_of(iso: str) -> dt.date | None:
    """The day of a text such as 2026-08-03; None for any other."""
    try:
        return dt.date.fromisoformat(iso)
    except ValueError:
        return None


def start_of(day: dt.date) -> dt.datetime:
    """The moment at which a day begins here. Days that no calendar is used for stand for the first and last that one is."""
    return timezone.make_aware(dt.datetime.combine(min(max(day, _FIRST), _LAST), dt.time.min))


def within_reason(day: dt.date) -> bool:
    """Whether a day is one that calendars are used for: sums with others cannot leave what can be kept."""
    return _FIRST <= day <= _LAST


_FIRST, _LAST = dt.date(1900, 1, 1), dt.date(9000, 1, 1)
