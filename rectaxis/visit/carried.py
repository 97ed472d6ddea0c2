"""What was carried into a visit, in words: the record keeps it by code."""

from __future__ import annotations

import datetime as dt

from django.utils import timezone

from rectaxis.devices.models import SelfCheck
from rectaxis.record.models import Job
from rectaxis.record.slot import CARRIED, CHECKED
from rectaxis.visit.visit import Visit

SIZES, PLACES = "sizes", "places"
_WORDS = {SIZES: "tyre sizes", PLACES: "places of tools"}


def checked_today(job: Job) -> SelfCheck | None:
    """How the kit of a visit checked itself last today, by its devices; None where it did not, or is a made-up one."""
    if job.kit_id is None or job.simulation is not None:
        return None
    midnight = timezone.localtime().replace(hour=0, minute=0, second=0, microsecond=0)
    ended = SelfCheck.objects.filter(device__kit=job.kit_id, ended_at__gte=midnight)
    return ended.select_related("device", "by").order_by("ended_at").last()


def checked_at(when: dt.datetime, unit: str) -> str:
    """What the record keeps of a self-check that was passed at another vehicle: when, and at which unit."""
    return f"{when.isoformat(timespec='seconds')} {unit}"


def checked_by(run: SelfCheck) -> str:
    """The same of one that a device was asked for, step by step."""
    return checked_at(run.ended_at or timezone.now(), f"{_OF_DEVICE}{run.device.name}, {run.device.serial}")


_OF_DEVICE = "device:"
"""What stands before a device's name where the record keeps who checked; a unit's name has nothing before it."""


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
    device = unit.removeprefix(_OF_DEVICE)
    where = f"at {unit}" if device == unit else f"as {device} showed"
    return f"passed on {timezone.localtime(dt.datetime.fromisoformat(when)):%-d %B %Y at %H:%M}, {where}."
