"""Who did what in a job and when, in words: everything that was added, superseded readings among it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from itertools import groupby
from typing import Any, NamedTuple

from rectaxis.record.models import Entry, Mark, Photo, Shot
from rectaxis.record.slot import (
    Confirmed,
    OfAdjuster,
    Opinion,
    Phase,
    Placed,
    Reason,
    Scale,
    SlotError,
    Trued,
    Why,
    of_damage,
    parse,
)
from rectaxis.visit.decisions import OPINIONS
from rectaxis.visit.moves import say_move
from rectaxis.visit.read_off import Scales
from rectaxis.visit.visit import Visit

MOST = 2000
"""Lines of history that a page shows; a job that has more shows its newest."""


class Happened(NamedTuple):
    """One line: its place in the record, when, who, what. ``superseded`` where something typed later took its place."""

    order: int
    at: dt.datetime
    who: str
    what: str
    superseded: bool = False


def history_of(visit: Visit) -> list[tuple[dt.date, list[Happened]]]:
    """Everything that happened in a job, newest first, by day."""
    lines = sorted([*_typed(visit), *_else(visit)], key=lambda line: line.order, reverse=True)[:MOST]
    return [(day, list(of_day)) for day, of_day in groupby(lines, key=lambda line: line.at.date())]


def _typed(visit: Visit) -> Iterator[Happened]:
    names = Names(visit)
    for entry in Entry.objects.filter(job=visit.job).select_related("by").order_by("-sequence")[:MOST]:
        stands = visit.journal.entry(entry.slot)
        text = f"“{names.said(entry)}”" if entry.typed else "emptied"
        superseded = stands is not None and stands.pk != entry.pk
        aside = ", not counted: another value stood there" if not entry.counts else ""
        yield Happened(
            entry.sequence, entry.at, entry.by.shown_name, f"{names.of(entry.slot)}: {text}{aside}", superseded
        )


class Names:
    """What slots are called in a job, and what is kept in them, in words."""

    def __init__(self, visit: Visit) -> None:
        self.visit = visit
        self._scales = Scales(visit)
        self._hardware = {one.id: visit.snapshot.name_of(one) for one in visit.hardware}

    def of(self, text: str) -> str:
        """What a slot is called."""
        try:
            slot = parse(text)
        except SlotError:
            return text
        question = self.visit.snapshot.question.get(text)
        if question is not None:
            return question.label
        match slot:
            case Scale(phase, place, field, look):
                again = f", look {look}" if look > 1 else ""
                return f"{phase}, {self._scales.name(place, field)}{again}"
            case Trued(place) | Confirmed(place):
                about = "clamp" if isinstance(slot, Trued) else "looked at again after tightening"
                return f"{about}, {place.removeprefix('runout/').replace('/', ' ').replace('_', ' ')}"
            case OfAdjuster(about, adjuster):
                return f"{_ABOUT[about]} {self._hardware.get(adjuster, adjuster)}"
            case Reason(gate):
                return f"went on in spite of {gate.replace('/', ' ')}"
            case Opinion(finding):
                return f"what may be the cause, {finding.replace('/', ' ').replace('-', ' ')}"
            case Placed(place, name):
                return f"where it was put, {place.replace('/', ' ')} {name.replace('_', ' ')}"
            case Why(path):
                why = self.visit.snapshot.question.get(path)
                return f"{why.label if why else path}: why"
        return text.replace("/", ", ").replace("-", " ")

    def said(self, entry: Entry) -> str:
        """What was typed, in words where it is a code."""
        question = self.visit.snapshot.question.get(entry.slot)
        if question is not None:
            return question.choices.get(entry.typed, entry.typed)
        return OPINIONS.get(entry.typed, entry.typed) if isinstance(parse(entry.slot), Opinion) else entry.typed


_ABOUT = {"found": "found in place,", "skip": "left alone,", "torque": "tightened,"}


def _else(visit: Visit) -> Iterator[Happened]:
    job, names = visit.job, Names(visit)
    marks = list(Mark.objects.filter(job=job).select_related("by"))
    damage = {str(of_damage(mark.pk)): f"“{mark.what}”" for mark in marks}
    struck = {move.strikes_id for move in visit.journal.all_moves}
    for move in visit.journal.all_moves:
        said = say_move(visit.snapshot, visit.hardware, move.strikes or move)
        if move.strikes:
            said = f"struck as mistyped and never made: {said}"
        yield Happened(move.sequence, move.at, move.by.shown_name, said, move.pk in struck)
    for seal in visit.journal.all_seals:
        again = f", revision {seal.revision}: {seal.reason}" if seal.revision > 1 else ""
        yield Happened(
            seal.sequence, seal.at, seal.by.shown_name, f"the {_SEALED.get(seal.phase, seal.phase)} was sealed{again}"
        )
    for event in visit.journal.events:
        why = f": {event.text}" if event.text else ""
        yield Happened(event.sequence, event.at, event.by.shown_name, f"the job was {event.said}{why}")
    for photo in Photo.objects.filter(job=job).select_related("by"):
        said = f"photo {photo.name} for {damage.get(photo.slot) or names.of(photo.slot)}"
        yield Happened(photo.sequence, photo.at, photo.by.shown_name, said, photo.removed)
    for shot in Shot.objects.filter(job=job).select_related("by"):
        said = f"pictures taken {_TAKEN[shot.phase]}: {shot.get_move_display()}"
        yield Happened(shot.sequence, shot.at, shot.by.shown_name, said, shot.removed)
    for seen in visit.journal.sightings:
        count = sum(one["kind"] == "wheel_axis" for one in seen.readings)
        said = f"the pictures {_TAKEN[seen.phase]} told of {count} wheels"
        yield Happened(seen.sequence, seen.at, seen.by.shown_name, said)
    for mark in marks:
        yield Happened(mark.sequence, mark.at, mark.by.shown_name, f"damage marked: {mark.what}", mark.removed)


_TAKEN: dict[str, str] = {Phase.BEFORE: "for the before", Phase.SET: "while setting", Phase.AFTER: "for the after"}
_SEALED = {"visit": "visit as a whole"}


def correctable(visit: Visit) -> list[dict[str, Any]]:
    """The numbers of sealed phases that can be corrected: slot, label, and what was typed."""
    names, found = Names(visit), []
    for text, entry in sorted(visit.journal.entries.items()):
        slot = parse(text)
        known = isinstance(slot, Scale) and slot.place in visit.snapshot.by_slot
        if isinstance(slot, Scale) and known and slot.phase in visit.journal.seals and entry.value is not None:
            found.append({"slot": text, "label": names.of(text), "typed": entry.typed})
    return found
