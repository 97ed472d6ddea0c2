"""A visit moved by hand: what it does to the rest, asked of the planner."""

from __future__ import annotations

import datetime as dt
from uuid import UUID

from django.utils import timezone
from msgspec.structs import replace

from planning import model
from planning.moved import Moved, moved
from rectaxis.record.models import Job
from rectaxis.rounds.gather import gathered, key_of
from rectaxis.rounds.models import Call, Crew


class CannotAskError(ValueError):
    """A move that cannot be asked about; the text says why."""


def where_of(key: str) -> Job | Call | None:
    """The visit, or the want in the tray, that a key names; None for one that is not there."""
    kind, _, pk = key.partition("/")
    try:
        number = UUID(pk)
    except ValueError:
        return None
    if kind == "job":
        return Job.objects.select_related("vehicle__fleet", "kit", "technician", "call").filter(pk=number).first()
    return (
        Call.objects.select_related("vehicle__fleet", "kit").filter(pk=number, job=None).first()
        if kind == "call"
        else None
    )


def what_becomes(one: Job | Call, crew: Crew, begins: dt.datetime) -> tuple[Moved, model.Days]:
    """What moving it there does (wall clock). **Raises** CannotAskError."""
    if isinstance(one, Job) and one.status != Job.Status.PLANNED:
        raise CannotAskError(f"The visit to {one.vehicle.unit} is {one.get_status_display()}: it stays where it is.")
    days = {begins.date()} | ({timezone.localtime(one.planned_at).date()} if isinstance(one, Job) else set())
    found = gathered(sorted(days), timezone.now())
    key = key_of(one)
    if all(visit.key != key for visit in found.days.visits):
        raise CannotAskError(next(iter(found.unplaced), "Nobody has said where its yard lies."))
    if all(man.key != str(crew.person_id) for man in found.days.technicians):
        raise CannotAskError(f"{crew} does not work here any more.")
    # Only where it was and where it goes to matter.
    keep = {str(crew.person_id), *([str(one.technician_id)] if isinstance(one, Job) else [])}
    visits = tuple(
        visit
        for visit in found.days.visits
        if visit.key == key or (visit.before is not None and visit.before.technician in keep)
    )
    crew_there = tuple(man for man in found.days.technicians if man.key in keep)
    there = {man.key for man in crew_there}
    smaller = replace(found.days, technicians=crew_there, visits=tuple(_only_of(visit, there) for visit in visits))
    return moved(smaller, key, str(crew.person_id), begins), smaller


def _only_of(visit: model.Visit, there: set[str]) -> model.Visit:
    """Without what names somebody who is not there."""
    gone = visit.before is not None and visit.before.technician not in there
    return replace(visit, before=None if gone else visit.before, only=visit.only if visit.only in there else None)
