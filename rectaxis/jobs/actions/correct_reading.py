"""Correct a number of a sealed phase: the first stays on the record, and the phase is sealed anew with the reason."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from uuid6 import uuid7

from rectaxis.jobs.actions.seal_phase import SealError, sealed_now
from rectaxis.jobs.history import slot_names
from rectaxis.jobs.models import Entry, Job, Seal
from rectaxis.jobs.slots import Slots
from rectaxis.jobs.work import Work
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User


@transaction.atomic
def correct_reading(person: User, job: Job, slot: str, typed: str, reason: str) -> Seal:
    """Type a number of a sealed phase anew. **Raises** PermissionDenied, ValueError that says what is wrong."""
    demand(allowed=may_measure(person))
    job = Job.objects.select_for_update().select_related("vehicle").get(pk=job.pk)
    phase = Slots.phase_of(slot)
    sealed = Seal.objects.filter(job=job, phase=phase).order_by("-revision").first() if phase else None
    if sealed is None or phase is None:
        raise SealError("Only a reading of a sealed before or after is corrected here; others are simply typed anew.")
    if not reason.strip():
        raise SealError("Say why it is corrected: the reason goes on the report.")
    if not typed.strip():
        raise SealError("Type the number as it should have been.")
    understood = Slots(job).read(slot, typed.strip())
    Entry.objects.create(id=uuid7(), job=job, by=person, slot=slot, typed=typed.strip(), value=understood.value)
    return sealed_now(person, Work(job), phase, revision=sealed.revision + 1, reason=reason.strip()[:300])


def correctable(work: Work) -> list[dict[str, Any]]:
    """The numbers of sealed phases that can be corrected: slot, label, and what was typed."""
    names = slot_names(work)
    return [
        {"slot": slot, "label": names[slot], "typed": entry.typed}
        for slot, entry in sorted(work.entries.items())
        if slot.partition("/")[0] in work.seals and entry.value is not None and slot in names
    ]
