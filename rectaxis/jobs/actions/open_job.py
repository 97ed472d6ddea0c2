"""Open a visit to a vehicle: layout, specification and kit are copied as they are today."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.db import transaction

from alignment.jobfile import FORMAT, VERSION, parse
from alignment.procedure.kit import kit as core_kit
from rectaxis.fleets.models import Vehicle
from rectaxis.jobs.models import Job
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.specs.choose import specification_for


def copy_of_specification(vehicle: Vehicle) -> dict[str, Any]:
    """The vehicle's specification as a job keeps it; empty rows where the library has none."""
    found = specification_for(vehicle)
    if found is None:
        return {"name": "none: measured, not judged", "source": "", "rows": []}
    return {"name": found.name, "source": found.source, "rows": found.rows}


def copy_of_kit(kit: Kit, vehicle: Vehicle) -> dict[str, Any]:
    """The kit as a job keeps it, with its stations on this vehicle."""
    core = core_kit(kit.code)
    on = parse({"format": FORMAT, "version": VERSION, "vehicle": vehicle.layout["vehicle"]}).vehicle
    return {
        "name": kit.name,
        "code": kit.code,
        "carried": core.data["carried"],
        "cannot": core.data["cannot"],
        "certified_until": kit.certified_until.isoformat() if kit.certified_until else None,
        "runout_limit_deg": core.runout_limit_deg,
        "setups": [dict(vars(setup)) | {"hang": list(setup.hang)} for setup in core.setups(on)],
        "stations": [station.as_dict() for station in core.stations(on)],
    }


@transaction.atomic
def open_job(
    person: User, vehicle: Vehicle, kit: Kit, planned_at: dt.datetime, asked: str = "", technician: User | None = None
) -> Job:
    """Plan a visit. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    return Job.objects.create(
        vehicle=vehicle, kit=kit, technician=technician or person, planned_at=planned_at, asked=asked,
        layout=vehicle.layout, specification=copy_of_specification(vehicle), rig=copy_of_kit(kit, vehicle),
    )  # fmt: skip
