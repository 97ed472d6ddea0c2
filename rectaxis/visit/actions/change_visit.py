"""Change what was planned of a visit: when, by whom, with which kit, and what was asked."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from django.db import transaction
from django.db.models import Q

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.open_job import copies
from rectaxis.visit.kits import KitError


@transaction.atomic
def change_visit(
    person: User, job: Job, kits: Sequence[Kit], scope: str, planned_at: dt.datetime, technician: User, asked: str = ""
) -> Job:
    """The visit as it is planned from now on.

    Other ``kits``, the first one first, or another scope, only until something was read or put in its place with the one there is. **Raises**
    PermissionDenied, RecordError, KitError.
    """
    demand(allowed=may_work(person))
    # Lock order is the same everywhere: the vehicle before its jobs.
    vehicle = locking(Vehicle).get(pk=job.vehicle_id)
    job = locking(Job).get(pk=job.pk)
    if job.closed:
        raise RecordError("This visit is closed; its record stays as it is. Plan another.")
    if (list(kits), scope) != (job.kits, job.rig.get("scope", "all")):
        if _was_used(job):
            raise KitError("Something was read already: end this visit, and plan another with other kits.")
        job.rig = copies(vehicle, kits, scope, simulated=job.simulation is not None)["rig"]
        job.kit = kits[0]
        job.further_kits.set(kits[1:])
    job.planned_at, job.technician, job.asked = planned_at, technician, asked
    job.save(update_fields=["rig", "kit", "planned_at", "technician", "asked"])
    return job


def _was_used(job: Job) -> bool:
    """Whether something on the record speaks of the kit: a scale, where a piece was put, a step of its self-check."""
    about = Q(slot__startswith="rig/")
    for phase in Phase:
        about |= Q(slot__startswith=f"{phase}/")
    return Entry.objects.filter(about, job=job).exists()
