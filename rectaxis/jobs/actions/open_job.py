"""Open a visit to a vehicle: layout, specification and kit are copied as they are today."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any

from django.db import transaction

from alignment.jobfile import FORMAT, VERSION, parse
from alignment.procedure.kit import kit as core_kit
from alignment.procedure.kit import toe_only
from alignment.procedure.station import Station
from rectaxis.fleets.models import Vehicle
from rectaxis.jobs.actions.keep_taught import taught_to
from rectaxis.jobs.models import Entry, Job
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.specs.choose import specification_for


class KitError(ValueError):
    """A kit that cannot do what is asked of it; the text says why."""


def copy_of_specification(vehicle: Vehicle) -> dict[str, Any]:
    """The vehicle's specification as a job keeps it; empty rows where the library has none."""
    found = specification_for(vehicle)
    if found is None:
        return {"name": "none: measured, not judged", "source": "", "rows": []}
    return {"name": found.name, "source": found.source, "rows": found.rows}


def copy_of_kit(kit: Kit, vehicle: Vehicle, scope: str = "all") -> dict[str, Any]:
    """The kit as a job keeps it, with its stations on this vehicle. ``scope`` ``toe`` is the quick job: toe in front only."""
    core = core_kit(kit.code)
    on = parse({"format": FORMAT, "version": VERSION, "vehicle": vehicle.layout["vehicle"]}).vehicle
    stations = core.stations(on)
    if scope == "toe":
        stations = toe_only(on, stations)
        if not stations:
            raise KitError(
                f"{core.name} reads no toe by itself on a steered axle: take another kit, or do the whole job."
            )
    if not stations:
        raise KitError(f"{core.name} has nothing to read on this vehicle: take another kit.")
    kept = {station.setup for station in stations}
    return {
        "name": kit.name,
        "code": kit.code,
        "scope": scope,
        "carried": core.data["carried"],
        "cannot": core.data["cannot"],
        "certified_until": kit.certified_until.isoformat() if kit.certified_until else None,
        "runout_limit_deg": core.runout_limit_deg,
        "lifted": bool(core.data.get("runout", {}).get("lifted", False)),
        "light": bool(core.data.get("light", True)),
        "rims_mm": core.data.get("rims_mm"),
        "battery_hours": core.data.get("battery_hours"),
        "self_check": list(core.data.get("self_check", [])),
        "setups": [setup.as_dict() for setup in core.setups(on) if setup.number in kept],
        "stations": [_as_printed(kit, station).as_dict() for station in stations],
    }


def _as_printed(kit: Kit, station: Station) -> Station:
    """The station with the marks of this kit's own print beside the words for its two sides of zero."""
    if (station.plus, station.minus) != ("toe-in", "toe-out"):
        return station
    sides = ((station.plus, kit.toe_in_zone), (station.minus, kit.toe_out_zone))
    plus, minus = (f"{word}, {zone}" if zone else word for word, zone in sides)
    return replace(station, plus=plus, minus=minus)


def _last_odometer(vehicle: Vehicle) -> float | None:
    """What the odometer showed at the newest visit that wrote it down."""
    written = Entry.objects.filter(job__vehicle=vehicle, slot="arrive/odometer", value__isnull=False)
    newest = written.order_by("-job__planned_at", "-id").values_list("value", flat=True).first()
    return None if newest is None else float(newest)


@transaction.atomic
def open_job(
    person: User,
    vehicle: Vehicle,
    kit: Kit,
    planned_at: dt.datetime,
    asked: str = "",
    technician: User | None = None,
    scope: str = "all",
) -> Job:
    """Plan a visit. **Raises** PermissionDenied, KitError."""
    demand(allowed=may_work(person))
    return Job.objects.create(
        vehicle=vehicle, kit=kit, technician=technician or person, planned_at=planned_at, asked=asked,
        layout=vehicle.layout | {"learned": taught_to(vehicle)}, specification=copy_of_specification(vehicle),
        rig=copy_of_kit(kit, vehicle, scope), odometer_was=_last_odometer(vehicle),
    )  # fmt: skip
