"""A visit moved by hand: what it does to the rest, asked of the planner."""

from __future__ import annotations

import datetime as dt
from uuid import UUID

from django.utils import timezone

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
        raise CannotAskError(found.unplaced.get(key, f"Nobody has said where {one.vehicle.unit} stands."))
    if all(man.key != str(crew.person_id) for man in found.days.technicians):
        raise CannotAskError(f"{crew} does not work here any more.")
    return moved(found.days, key, str(crew.person_id), begins), found.days
