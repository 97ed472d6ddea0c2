"""Look at the scales of a job whose source shows them."""

from __future__ import annotations

from collections.abc import Iterable

from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Scale, SlotError, parse
from rectaxis.sources.choose import source_of
from rectaxis.visit.visit import Visit


def look_at_scales(person: User, job: Job, slots: Iterable[str]) -> dict[str, str]:
    """What scales show now, as typed text by slot; without those that the job's source does not see.

    **Raises** PermissionDenied.
    """
    demand(allowed=may_measure(person))
    visit = Visit(job)
    wanted = dict.fromkeys(found for text in slots if (found := _scale(text)) is not None)
    shown = source_of(job).latest(visit.journal, visit.readings.stations, wanted.keys())
    return {str(slot): text for slot, text in shown.items()}


def _scale(text: str) -> Scale | None:
    try:
        slot = parse(text)
    except SlotError:
        return None
    return slot if isinstance(slot, Scale) else None
