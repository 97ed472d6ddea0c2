"""Save what was typed, field by field. Repeats are harmless, and the order of arrival does not matter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from rectaxis.common.keys import time_key
from rectaxis.jobs.models import Entry, Job, Seal
from rectaxis.jobs.slots import Slots
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

MOST_AT_ONCE = 200


@dataclass(frozen=True)
class Saved:
    """What became of one field: ``saved`` with what was understood, or ``refused`` with the reason."""

    id: str
    slot: str
    status: str
    text: str

    def as_dict(self) -> dict[str, str]:
        return dict(vars(self))


@transaction.atomic
def save_entries(person: User, job: Job, items: Sequence[dict[str, Any]]) -> list[Saved]:
    """Save fields of a job; answers for each what became of it, in order.

    Each item has ``id`` (a version 7 UUID that the browser made), ``slot`` and ``typed``. **Raises** PermissionDenied.
    """
    demand(allowed=may_measure(person))
    slots = Slots(job)
    sealed = set(Seal.objects.filter(job=job).values_list("phase", flat=True))
    answers, entries = [], []
    for item in items[:MOST_AT_ONCE]:
        raw_id, slot, typed = str(item.get("id", "")), str(item.get("slot", "")), str(item.get("typed", "")).strip()
        try:
            entry, text = _entry(person, job, slots, sealed, raw_id, slot, typed)
        except ValueError as error:
            answers.append(Saved(raw_id, slot, "refused", str(error)))
        else:
            entries.append(entry)
            answers.append(Saved(raw_id, slot, "saved", text))
    Entry.objects.bulk_create(entries, ignore_conflicts=True)
    if entries and job.status in (Job.Status.PLANNED, Job.Status.PAUSED):
        Job.objects.filter(pk=job.pk).update(status=Job.Status.OPEN)
    return _without_clashes(job, entries, answers)


def _entry(
    person: User, job: Job, slots: Slots, sealed: set[str], raw_id: str, slot: str, typed: str
) -> tuple[Entry, str]:
    phase = slots.phase_of(slot)
    if phase in sealed:
        raise ValueError(f"The {phase} is already saved and sealed; its readings stay as they are.")
    if job.closed:
        raise ValueError(f"This job is {job.get_status_display()}; its record stays as it is.")
    key = time_key(raw_id)
    understood = slots.read(slot, typed)
    return Entry(id=key, job=job, by=person, slot=slot, typed=typed, value=understood.value), understood.text


def _without_clashes(job: Job, entries: list[Entry], answers: list[Saved]) -> list[Saved]:
    """Refuse a field whose key is already in use for something else."""
    kept = {entry.id: entry for entry in Entry.objects.filter(id__in=[entry.id for entry in entries])}
    clashing = {
        str(e.id)
        for e in entries
        if (k := kept.get(e.id)) is None or (k.job_id, k.slot, k.typed) != (job.id, e.slot, e.typed)
    }
    text = "This save's key was already used for something else; reload the page and type it again."
    return [Saved(a.id, a.slot, "refused", text) if a.id.lower() in clashing else a for a in answers]
