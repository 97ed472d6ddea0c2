"""Correct a number of a sealed phase: the first stays on the record, and the phase is sealed anew with the reason."""

from __future__ import annotations

from uuid6 import uuid7

from rectaxis.people.models import User
from rectaxis.record.models import Entry, Job, Seal
from rectaxis.record.signals import report_corrected
from rectaxis.record.slot import SEALED, Scale, parse
from rectaxis.record.snapshot import Snapshot
from rectaxis.record.writing import writing
from rectaxis.visit.actions.seal_phase import SealError, sealed_now
from rectaxis.visit.fields import Fields, plain_text
from rectaxis.visit.visit import Visit

LONGEST_REASON = 300


def correct_reading(person: User, job: Job, slot: str, typed: str, reason: str) -> Seal:
    """Type a number of a sealed phase anew; a closed job's too. **Raises** PermissionDenied, RecordError."""
    with writing(person, job, closed_too=True) as book:
        scale, typed, reason = parse(slot), plain_text(typed), plain_text(reason, LONGEST_REASON)
        seals = Visit(book.job).journal.seals
        if not isinstance(scale, Scale) or scale.phase not in SEALED or scale.phase not in seals:
            raise SealError(
                "Only a reading of a sealed before or after is corrected here; others are simply typed anew."
            )
        if not reason:
            raise SealError("Say why it is corrected: the reason goes on the report.")
        if not typed:
            raise SealError("Type the number as it should have been.")
        understood = Fields(Snapshot.of(book.job)).read(scale, typed)
        book.add(Entry(pk=uuid7(), slot=str(scale), typed=typed, value=understood.value))
        seal = sealed_now(book, scale.phase, revision=seals[scale.phase].revision + 1, reason=reason)
        if book.job.closed:
            report_corrected.send(sender=Job, job=book.job)
        return seal
