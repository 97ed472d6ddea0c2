"""Seal the before, the after, or the visit as a whole: what was read, what it means, what a report says, and who says so."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import alignment
from alignment.words.sayback import say_back
from rectaxis.business.actions.give_number import next_number
from rectaxis.business.words import in_words_of_the_business
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job, Seal
from rectaxis.record.slot import Phase
from rectaxis.record.writing import Book, closed, writing
from rectaxis.visit.actions.keep_taught import keep_taught
from rectaxis.visit.actions.stop_if_unsafe import stop_if_unsafe
from rectaxis.visit.statement import STYLES, statement_of
from rectaxis.visit.visit import Visit

VISIT = "visit"


class SealError(RecordError):
    """A phase that cannot be sealed; the text says why."""


def seal_phase(person: User, job: Job, phase: Phase) -> Seal:
    """Seal the before or the after. Sealing twice answers with the first seal. **Raises** PermissionDenied, RecordError."""
    with writing(person, job, closed_too=True) as book:
        visit = Visit(book.job)
        if phase in visit.journal.seals:
            return visit.journal.seals[phase]
        if book.job.closed:
            raise closed(book.job)
        if phase == Phase.AFTER and Phase.BEFORE not in visit.journal.seals:
            raise SealError("Save the before first: a report needs both.")
        stop_if_unsafe(visit)
        seal = sealed_now(book, phase)
        if phase == Phase.AFTER:
            keep_taught(visit)
        book.begin_work()
        return seal


def sealed_now(book: Book, phase: Phase, revision: int = 1, reason: str = "") -> Seal:
    """Seal a phase as it is typed now, as a revision of its seal. **Raises** SealError where nothing is read."""
    with in_words_of_the_business():
        return _sealed_now(book, phase, revision, reason)


def _sealed_now(book: Book, phase: Phase, revision: int, reason: str) -> Seal:
    visit = Visit(book.job)
    readings = visit.readings.read_now(phase)
    if all(reading["kind"] == "ground" for reading in readings):
        raise SealError(f"Nothing is read yet, so there is no {phase} to save.")
    results, job_file = visit.readings.solve(readings), visit.readings.job_file(readings)
    ratio = visit.snapshot.layout.steering_ratio
    seal = _seal(
        book, phase, job_file, revision=revision, reason=reason, results=results.as_dict(),
        sentences={style: say_back(results, style, ratio) for style in STYLES},
    )  # fmt: skip
    seal.sequence = book.taken + 1
    seal.statement = statement_of(Visit(book.job, visit.journal.with_seal(seal))).as_json()
    return book.add(seal)


def seal_visit(book: Book, *, numbered: bool = True) -> Seal:
    """Seal what the report of a visit says, as it is handed over or ended; with the next number, unless it has one."""
    if numbered and not book.job.report_number:
        book.job.report_number = next_number()
        book.job.save(update_fields=["report_number"])
    with in_words_of_the_business():
        statement = statement_of(Visit(book.job)).as_json()
    return book.add(_seal(book, VISIT, {}, statement=statement))


def _seal(book: Book, phase: str, job_file: dict[str, Any], **parts: Any) -> Seal:
    sealed = job_file or parts["statement"]
    digest = hashlib.sha256(json.dumps(sealed, sort_keys=True).encode()).hexdigest()
    return Seal(
        job=book.job, by=book.person, phase=phase, job_file=job_file, core_version=alignment.__version__, digest=digest,
        **{"results": {}, **parts},
    )  # fmt: skip
