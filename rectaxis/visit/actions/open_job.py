"""Open a visit to a vehicle: layout, specification and kit are copied as they are today."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from dataclasses import replace

import msgspec
from django.db import transaction

from alignment.judge.practice import NAME, SOURCE, practice
from alignment.procedure.kit import kit as core_kit
from alignment.procedure.kit import toe_only
from alignment.procedure.station import Station
from rectaxis.common.locks import locking
from rectaxis.fleets.layout import Json, Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import ODOMETER
from rectaxis.record.snapshot import Rig, Spec, as_json
from rectaxis.specs.choose import specification_for
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.keep_taught import taught_to


class KitError(ValueError):
    """A kit that cannot do what is asked of it; the text says why."""


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


def copy_of_kit(kit: Kit, layout: Layout, scope: str = "all", judged: Iterable[tuple[str, int]] = ()) -> Rig:
    """The kit as a job keeps it, with its stations on this vehicle. ``scope`` ``toe`` is the quick job: toe in front only.
    ``judged`` are the quantities of its specification, with their axles: what the tape tells of them is read beside the kit.

    **Raises** KitError.
    """
    core, on, judged = core_kit(kit.code), layout.core.vehicle, set(judged)
    stations = core.stations(on, judged)
    if scope == "toe":
        stations = toe_only(on, stations)
        if not stations:
            raise KitError(
                f"{core.name} reads no toe by itself on a steered axle: take another kit, or do the whole job."
            )
    if not stations:
        raise KitError(f"{core.name} has nothing to read on this vehicle: take another kit.")
    kept, data = {station.setup for station in stations}, core.data
    rims = data.get("rims_mm")
    return Rig(
        name=kit.name, code=kit.code, scope=scope, goes=kit.goes, carried=data["carried"], cannot=data["cannot"],
        certified_until=kit.certified_until, runout_limit_deg=core.runout_limit_deg,
        clamp_u_deg=core.clamp_u_deg,
        lifted=bool(data.get("runout", {}).get("lifted", False)), light=bool(data.get("light", True)),
        rims_mm=None if rims is None else (rims[0], rims[1]), battery_hours=data.get("battery_hours"),
        self_check=tuple(data.get("self_check", ())), figures=core.figures,
        setups=tuple(setup for setup in core.setups(on, judged) if setup.number in kept),
        stations=tuple(_as_printed(kit, station) for station in stations),
    )  # fmt: skip


def _as_printed(kit: Kit, station: Station) -> Station:
    """The station with the marks of this kit's own print beside the words for its two sides of zero."""
    if (station.plus, station.minus) != ("toe-in", "toe-out"):
        return station
    sides = ((station.plus, kit.toe_in_zone), (station.minus, kit.toe_out_zone))
    plus, minus = (f"{word}, {zone}" if zone else word for word, zone in sides)
    return replace(station, plus=plus, minus=minus)


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
    scope: str = "all",
    simulation: Json | None = None,
) -> Job:
    """Plan a visit; ``simulation`` is the made-up vehicle behind a demo's. **Raises** PermissionDenied, KitError."""
    demand(allowed=may_work(person))
    # Its adjusters may be edited at this moment: the vehicle is locked before its jobs, as everywhere.
    vehicle = locking(Vehicle).get(pk=vehicle.pk)
    simulated = simulation is not None
    return Job.objects.create(
        vehicle=vehicle, kit=kit, technician=person, planned_at=planned_at, asked=asked, simulation=simulation,
        odometer_was=_last_odometer(vehicle, simulated=simulated), **copies(vehicle, kit, scope, simulated=simulated),
    )  # fmt: skip


def copies(vehicle: Vehicle, kit: Kit, scope: str, *, simulated: bool) -> dict[str, Json]:
    """What a visit keeps of a vehicle, its figures and a kit, as they are now. **Raises** KitError."""
    layout = Layout.from_json(vehicle.layout)
    taught = msgspec.structs.replace(layout, learned=taught_to(vehicle, simulated=simulated))
    specification = copy_of_specification(vehicle)
    rig = copy_of_kit(kit, layout, scope, judged_by(specification))
    return {"layout": taught.as_json(), "specification": as_json(specification), "rig": as_json(rig)}
