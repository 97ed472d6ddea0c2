"""Put a visit that was moved by hand, and those that gave way to it, back to where they stood."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from uuid import UUID

from django.db import transaction
from django.utils import timezone
from msgspec import Struct

from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.rounds.actions.move_visit import back_to_tray
from rectaxis.rounds.actions.want_visit import CallError
from rectaxis.rounds.arranged import arranged
from rectaxis.rounds.gather import call_of, planned_on
from rectaxis.rounds.models import Call
from rectaxis.visit.actions.change_visit import change_visit


class Stood(Struct, frozen=True):
    """Where a visit stood, and what a person had wished of it and the planner said of it then."""

    technician: int
    at: dt.datetime
    only: int | None
    on: dt.date | None
    clock: dt.time | None
    why: str


class Back(Struct, frozen=True):
    """One visit that a move put elsewhere: where it ``stood``, and where it was ``put`` by whom."""

    job: UUID
    stood: Stood
    technician: int
    put: dt.datetime


class Undo(Struct, frozen=True):
    """What takes a move back, for as long as nothing of it was changed since. ``tray``: the visit that came from there, with what was
    wished of it there.
    """

    unit: str
    made: dt.datetime
    day: dt.date
    back: tuple[Back, ...]
    tray: Back | None = None


def standing(one: Job | Call, days: Iterable[dt.date]) -> dict[UUID, Stood]:
    """Where every visit of some days, and this one, stands now."""
    visits = {job.pk: job for job in planned_on(list(days))} | ({one.pk: one} if isinstance(one, Job) else {})
    found = {pk: _stood(job.technician_id, job.planned_at, call_of(job)) for pk, job in visits.items()}
    return found | ({} if isinstance(one, Job) else {one.pk: _stood(0, timezone.now(), one)})


def undo_of(one: Job | Call, before: Mapping[UUID, Stood], moved: Job) -> Undo:
    """What takes back a move of ``one``, from where everything stood ``before``."""
    visits = Job.objects.filter(pk__in=before.keys() - {one.pk if isinstance(one, Call) else None})
    back = tuple(
        Back(job.pk, before[job.pk], job.technician_id, job.planned_at)
        for job in visits
        if (job.technician_id, job.planned_at) != (before[job.pk].technician, before[job.pk].at) or job == moved
    )
    tray = Back(moved.pk, before[one.pk], moved.technician_id, moved.planned_at) if isinstance(one, Call) else None
    return Undo(moved.vehicle.unit, timezone.now(), timezone.localdate(moved.planned_at), back, tray)


@transaction.atomic
def undo_move(person: User, undo: Undo) -> None:
    """Everything stands where it stood before. **Raises** PermissionDenied; CallError where something of it was changed since."""
    demand(allowed=may_work(person))
    for one in undo.back:
        job = _unchanged(one)
        technician = User.objects.get(pk=one.stood.technician)
        change_visit(person, job, job.kits, job.rig.get("scope", "all"), one.stood.at, technician, job.asked)
        _wish_again(arranged(person, job), one.stood)
    if undo.tray is not None:
        _wish_again(back_to_tray(person, _unchanged(undo.tray)), undo.tray.stood)


def _unchanged(one: Back) -> Job:
    """The visit, where the move put it. **Raises** CallError where it does not stand there any more."""
    job = Job.objects.select_related("vehicle").filter(pk=one.job).first()
    if (
        job is None
        or job.status != Job.Status.PLANNED
        or (job.technician_id, job.planned_at) != (one.technician, one.put)
    ):
        what = job.vehicle.unit if job else "A visit of that day"
        raise CallError(f"{what} was changed since that move. Move back by hand what should go back.")
    return job


def _stood(technician: int, at: dt.datetime, call: Call) -> Stood:
    return Stood(technician, at, call.only_id, call.on, call.at, call.why)


def _wish_again(call: Call, stood: Stood) -> None:
    call.only_id, call.on, call.at, call.why = stood.only, stood.on, stood.clock, stood.why
    call.save(update_fields=["only", "on", "at", "why"])
