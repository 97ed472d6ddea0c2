"""Who did what in a job and when, in words: everything that was added, superseded readings among it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from itertools import groupby
from typing import NamedTuple

from alignment.procedure.walk import say_stop, stops
from rectaxis.jobs.actions.add_photo import damage_slot
from rectaxis.jobs.models import Entry, Event, Mark, Photo, Seal
from rectaxis.jobs.sheet import MOST_LOOKS, is_runout, look_slot
from rectaxis.jobs.slots import READ_PHASES
from rectaxis.jobs.work import Work

MOST = 2000
"""Lines of history that a page shows; a job that has more shows its newest."""


class Happened(NamedTuple):
    """One line: when, who, what. ``superseded`` where something typed later took its place."""

    at: dt.datetime
    who: str
    what: str
    superseded: bool = False


def history_of(work: Work) -> list[tuple[dt.date, list[Happened]]]:
    """Everything that happened in a job, newest first, by day."""
    lines = sorted([*_typed(work), *_else(work)], key=lambda line: line.at, reverse=True)[:MOST]
    return [(day, list(of_day)) for day, of_day in groupby(lines, key=lambda line: line.at.date())]


def _typed(work: Work) -> Iterator[Happened]:
    names = slot_names(work)
    entries = Entry.objects.filter(job=work.job).select_related("by").order_by("-id")[:MOST]
    for entry in entries:
        newest = work.entries.get(entry.slot)
        text = f"“{entry.typed}”" if entry.typed else "emptied"
        name = names.get(entry.slot) or _spoken(entry.slot)
        yield Happened(entry.at, entry.by.shown_name, f"{name}: {text}", newest is not None and newest.id != entry.id)


def slot_names(work: Work) -> dict[str, str]:
    """Labels by slot, as far as the questions and scales have them."""
    names = {q.slot: q.label for asked in work.questions.values() for q in asked}
    vehicle = work.core.vehicle
    for number in {station.setup for station in work.stations}:
        for stage in ("roll", "read"):
            for stop in stops(vehicle, work.stations, number, stage):
                label = say_stop(vehicle, stop)
                if is_runout(stop.station):
                    label += f", rolled {stop.field.rsplit('_', 1)[-1]}°"
                for phase in READ_PHASES:
                    for look in range(1, MOST_LOOKS + 1):
                        again = f", look {look}" if look > 1 else ""
                        names[look_slot(phase, stop.station, stop.field, look)] = f"{phase}, {label}{again}"
    return names


def _spoken(slot: str) -> str:
    """A slot without a label, in words."""
    return slot.replace("/", ", ").replace("-", " ").replace("_", " ")


def _else(work: Work) -> Iterator[Happened]:
    job = work.job
    names = {q.slot: q.label for asked in work.questions.values() for q in asked}
    marks = list(Mark.objects.filter(job=job).select_related("by"))
    names |= {damage_slot(mark): f"“{mark.what}”" for mark in marks}
    for move in work.moves:
        yield Happened(move.at, move.by.shown_name, work.say_move(move))
    for seal in Seal.objects.filter(job=job).select_related("by"):
        again = f", revision {seal.revision}: {seal.reason}" if seal.revision > 1 else ""
        yield Happened(seal.at, seal.by.shown_name, f"the {seal.phase} was sealed{again}")
    for event in Event.objects.filter(job=job).select_related("by"):
        yield Happened(
            event.at, event.by.shown_name, f"the job was {event.what}" + (f": {event.text}" if event.text else "")
        )
    for photo in Photo.objects.filter(job=job).select_related("by"):
        yield Happened(
            photo.at,
            photo.by.shown_name,
            f"photo {photo.name} for {names.get(photo.slot) or _spoken(photo.slot)}",
            photo.removed,
        )
    for mark in marks:
        yield Happened(mark.at, mark.by.shown_name, f"damage marked: {mark.what}", mark.removed)
