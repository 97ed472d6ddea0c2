"""What was carried into a visit, in words: the record keeps it by code."""

from __future__ import annotations

import datetime as dt

from django.utils import timezone

from rectaxis.record.slot import CARRIED, CHECKED
from rectaxis.visit.visit import Visit

SIZES, PLACES = "sizes", "places"
_WORDS = {SIZES: "tyre sizes", PLACES: "places of tools"}


def checked_at(when: dt.datetime, unit: str) -> str:
    """What the record keeps of a self-check that was passed at another vehicle: when, and at which unit."""
    return f"{when.isoformat(timespec='seconds')} {unit}"


def say_carried(visit: Visit) -> str:
    """What was taken over from the last visit; empty where nothing was."""
    kept, visited = visit.journal.answer(CARRIED), visit.snapshot.layout.visited
    if not kept or not visited:
        return ""
    what = " and ".join(_WORDS[code] for code in kept.split() if code in _WORDS)
    return f"{what[:1].upper()}{what[1:]} are as on {dt.date.fromisoformat(visited):%-d %B %Y}."


def say_checked(visit: Visit) -> str:
    """When and where the kit passed the self-check that this visit goes by; empty where that was in this visit."""
    when, _, unit = visit.journal.answer(CHECKED).partition(" ")
    if not when:
        return ""
    return f"passed on {timezone.localtime(dt.datetime.fromisoformat(when)):%-d %B %Y at %H:%M}, at {unit}."
