"""Open a visit to a vehicle: layout, specification and kit are copied as they are today."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from uuid import UUID

import msgspec
from django.db import transaction

from alignment.judge.practice import NAME, SOURCE, practice
from rectaxis.common.locks import locking
from rectaxis.fleets.layout import Json, Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import ODOMETER
from rectaxis.record.snapshot import Spec, as_json
from rectaxis.specs.choose import specification_for
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.keep_taught import taught_to
from rectaxis.visit.kits import rig_of


def copy_of_specification(vehicle: Vehicle) -> Spec:
    """The vehicle's specification as a job keeps it; general practice where the library has none."""
    found = specification_for(vehicle)
    return general_practice(vehicle) if found is None else copy_of(found)


def copy_of(found: Specification) -> Spec:
    """Figures of the library as a job keeps them."""
    return Spec(name=str(found), source=found.source, rows=tuple(found.rows), key=str(found.pk), version=found.version)


def general_practice(vehicle: Vehicle) -> Spec:
    """What a vehicle is judged by without its maker's figures, marked so."""
    layout = Layout.from_json(vehicle.layout)
    rows = practice(layout.core.vehicle, layout.group)
    return Spec(name=NAME, source=SOURCE, rows=tuple(rows), general=True)


UNJUDGED = Spec(name="none: measured, not judged")


def judged_by(specification: Spec) -> set[tuple[str, int]]:
    """The quantities that figures judge at an axle, with that axle."""
    return {(str(row["quantity"]), int(row["axle"])) for row in specification.rows if row.get("axle")}


def _last_odometer(vehicle: Vehicle, *, simulated: bool) -> float | None:
    """What the odometer showed at the newest visit that wrote it down; simulated visits say nothing of real ones."""
    written = Entry.objects.filter(job__vehicle=vehicle, slot=str(ODOMETER), value__isnull=False, counts=True)
    like = written.filter(job__simulation__isnull=not simulated)
    newest = like.order_by("-job__planned_at", "-sequence").values_list("value", flat=True).first()
    return None if newest is None else float(newest)


@transaction.atomic
def open_job(
    person: User,
    vehicle: Vehicle,
    kit: Kit,
    planned_at: dt.datetime,
    asked: str = "",
    *,
    further: Sequence[Kit] = (),
    scope: str = "all",
    simulation: Json | None = None,
    key: UUID | None = None,
) -> Job:
    """Plan a visit, with ``further`` kits beside the first; ``simulation`` is the made-up vehicle behind a demo's.

    A ``key`` that made a visit to this vehicle already answers with that: pressed twice is one.

    **Raises** PermissionDenied, KitError.
    """
    demand(allowed=may_work(person))
    # Its adjusters may be edited at this moment: the vehicle is locked before its jobs, as everywhere.
    vehicle = locking(Vehicle).get(pk=vehicle.pk)
    there = Job.objects.filter(pk=key).first() if key is not None else None
    if there is not None and there.vehicle_id == vehicle.pk:
        return there
    simulated = simulation is not None
    job = Job.objects.create(
        **({"pk": key} if key is not None and there is None else {}), vehicle=vehicle, kit=kit, technician=person, planned_at=planned_at, asked=asked, simulation=simulation,
        odometer_was=_last_odometer(vehicle, simulated=simulated), **copies(vehicle, [kit, *further], scope, simulated=simulated),
    )  # fmt: skip
    job.further_kits.set(further)
    return job


def copies(vehicle: Vehicle, kits: Sequence[Kit], scope: str, *, simulated: bool) -> dict[str, Json]:
    """What a visit keeps of a vehicle, its figures and its kits, the first one first, as they are now. **Raises** KitError."""
    layout = Layout.from_json(vehicle.layout)
    taught = msgspec.structs.replace(layout, learned=taught_to(vehicle, simulated=simulated))
    specification = copy_of_specification(vehicle)
    rig = rig_of(kits, layout, scope, judged_by(specification))
    return {"layout": taught.as_json(), "specification": as_json(specification), "rig": as_json(rig)}
