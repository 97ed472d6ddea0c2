"""Put a visit, or a want from the tray, on somebody's day at a time. What a person sets is kept as a wish for the next plan."""

from __future__ import annotations

import datetime as dt

from django.db import transaction
from django.utils import timezone

from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.rounds.actions.want_visit import CallError
from rectaxis.rounds.arranged import arranged
from rectaxis.rounds.gather import key_of, minutes_of
from rectaxis.rounds.models import Call, Crew
from rectaxis.rounds.moving import CannotAskError, what_becomes
from rectaxis.rounds.took import taught
from rectaxis.visit.actions.change_visit import change_visit
from rectaxis.visit.actions.open_job import open_job


@transaction.atomic
def move_visit(person: User, one: Job | Call, crew: Crew, begins: dt.datetime) -> tuple[Job, tuple[str, ...]]:
    """The visit at its place, and what that does in sentences. The others of the day give way as they were shown to.

    ``begins`` is by the clock on the wall. Where the day cannot be done so, this visit alone is put there, as a person wants it.
    **Raises** PermissionDenied, CallError, KitError.
    """
    demand(allowed=may_work(person))
    try:
        found, days = what_becomes(one, crew, begins)
    except CannotAskError as error:
        raise CallError(str(error)) from None
    key = key_of(one)
    at = found.begins.get(key, begins)
    job, call = _placed(person, one, crew, at, _kit_of(one, crew, days, key))
    call.only, call.on, call.at = crew.person, at.date(), at.time()
    call.takes = list(minutes_of(job, taught()))
    call.why = ""
    call.save()
    for visit in days.visits:
        then = found.begins.get(visit.key)
        if visit.key != key and visit.before is not None and then is not None and then != visit.before.begins:
            other = Job.objects.get(pk=visit.key.partition("/")[2])
            change_visit(
                person,
                other,
                other.kits,
                other.rig.get("scope", "all"),
                timezone.make_aware(then),
                other.technician,
                other.asked,
            )
    return job, found.said


@transaction.atomic
def release(person: User, call: Call) -> Call:
    """Forget by whom, on which day and at what time a person wanted it. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    # Of a visit of which nothing was arranged there is nothing to forget.
    Call.objects.filter(pk=call.pk).update(only=None, on=None, at=None)
    call.only = call.on = call.at = None
    return call


@transaction.atomic
def back_to_tray(person: User, job: Job) -> Call:
    """A visit that is planned loses its time and goes back into the tray; what was not begun leaves no record but its history.

    **Raises** PermissionDenied, CallError.
    """
    demand(allowed=may_work(person))
    if job.status != Job.Status.PLANNED or job.added:
        raise CallError("Something is on its record already: end the visit instead.")
    call = arranged(person, job)
    call.job = call.only = call.on = call.at = call.told = None
    call.save()
    job.further_kits.clear()
    job.delete()
    return call


def _placed(person: User, one: Job | Call, crew: Crew, at: dt.datetime, kit: Kit | None) -> tuple[Job, Call]:
    begins = timezone.make_aware(at)
    if isinstance(one, Call):
        if kit is None:
            raise CallError(f"No kit in the van of {crew} can judge {one.vehicle.unit}: choose a kit for this visit.")
        job = open_job(person, one.vehicle, kit, begins, one.asked, scope=one.scope)
        one.job, one.kit = job, kit
        one.save(update_fields=["job", "kit"])
    else:
        job = one
    job = change_visit(person, job, job.kits, job.rig.get("scope", "all"), begins, crew.person, job.asked)
    return job, one if isinstance(one, Call) else arranged(person, job)


def _kit_of(one: Job | Call, crew: Crew, days: object, key: str) -> Kit | None:
    """The kit that is chosen, or the first in the van that can judge it."""
    if one.kit is not None:
        return one.kit
    visit = next(visit for visit in days.visits if visit.key == key)  # type: ignore[attr-defined] # the planner's days
    return next((kit for kit in crew.kits.all() if str(kit.pk) in (visit.kits or ())), None)
