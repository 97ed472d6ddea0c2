"""Lists of vehicles."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence

from simple_history.utils import bulk_create_with_history

from alignment.patterns import patterns
from rectaxis.exchange.kinds.base import FAULTY, NEW, THERE, Field, Kind, Line
from rectaxis.fleets.forms import pattern_layout
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.fleets.vin import VinError, plain
from rectaxis.people.models import User

_OLDEST = 1950


class Vehicles(Kind):
    """Vehicles of fleets that are there; one that is there already is left as it is."""

    CODE, NAME, MODEL = "vehicles", "Vehicles", Vehicle
    FIELDS = (
        Field("fleet", "Fleet", True, ("customer", "company", "owner", "client")),
        Field("unit", "Unit number", True, ("unit", "unit no", "vehicle", "fleet number", "no", "number", "name")),
        Field("axles", "Axles, by the name of a pattern", True, ("pattern", "axle pattern", "type", "body", "configuration")),
        Field("registration", "Plate", False, ("registration", "reg", "licence plate", "license plate", "plate")),
        Field("vin", "VIN", False, ("vin", "chassis", "chassis number", "frame number")),
        Field("make", "Make", False, ("make", "manufacturer", "brand")),
        Field("model", "Model", False, ("model", "series")),
        Field("year", "Year", False, ("year", "model year", "built")),
        Field("yard", "Yard", False, ("yard", "depot", "site", "location", "base")),
    )  # fmt: skip
    USUAL = ("fleet", "axles")

    def choices(self, code: str) -> Sequence[tuple[str, str]]:
        """Fleets, and patterns of axles."""
        if code == "fleet":
            return [(name, name) for name in Fleet.objects.values_list("name", flat=True)]
        return [(one.title, one.title) for one in patterns().values()]

    def lines(self, given: Iterable[Mapping[str, str]]) -> list[Line]:
        """Every line; two questions, however many there are."""
        fleets = {fleet.name.casefold(): fleet for fleet in Fleet.objects.all()}
        there = {(fleet, unit.casefold()) for fleet, unit in Vehicle.objects.values_list("fleet_id", "unit")}
        shapes = {key.casefold(): code for code, one in patterns().items() for key in (code, one.title)}
        found: list[Line] = []
        seen: dict[tuple[object, str], int] = {}
        for number, line in enumerate(given, start=1):
            fleet, shape, unit = (
                fleets.get(line["fleet"].casefold()),
                shapes.get(line["axles"].casefold()),
                line["unit"],
            )
            faults = list(_faults(line, fleet, shape, fleets))
            key = (fleet.pk if fleet else None, unit.casefold())
            if not faults and key in seen:
                faults.append(f"Unit {unit} stands in line {seen[key]} already: take one of the two out.")
            seen.setdefault(key, number)
            becomes = FAULTY if faults else THERE if key in there else NEW
            found.append(Line(number, line, becomes, tuple(faults), (fleet, shape)))
        return found

    def make(self, lines: Sequence[Line], by: User) -> list[str]:
        """The vehicles that are new, each with its entry in the history."""
        layouts = {shape: pattern_layout(shape) for shape in {line.made[1] for line in lines}}
        vehicles = [
            Vehicle(
                fleet=line.made[0], layout=layouts[line.made[1]], unit=line.given["unit"], registration=line.given["registration"].upper()[:20],
                vin=plain(line.given["vin"]) if line.given["vin"] else "", make=line.given["make"][:40], model=line.given["model"][:40],
                year=int(line.given["year"]) if line.given["year"] else None, yard=line.given["yard"][:120],
            )
            for line in lines
        ]  # fmt: skip
        bulk_create_with_history(
            vehicles, Vehicle, batch_size=1_000, default_user=by, default_change_reason="read in from a list"
        )
        return [str(vehicle.pk) for vehicle in vehicles]

    def in_use(self, keys: Sequence[str]) -> int:
        """Those that have a visit, a note or a wish."""
        found = Vehicle.objects.filter(pk__in=keys)
        return len({*found.filter(jobs__isnull=False).values_list("pk", flat=True), *found.filter(happenings__isnull=False).values_list("pk", flat=True),
                    *found.filter(visit_requests__isnull=False).values_list("pk", flat=True)})  # fmt: skip


def _faults(
    line: Mapping[str, str], fleet: Fleet | None, shape: str | None, fleets: Mapping[str, Fleet]
) -> Iterable[str]:
    if fleet is None:
        known = ", ".join(sorted(one.name for one in list(fleets.values())[:6]))
        yield (
            f"No fleet is called “{line['fleet']}”: add it, or write one of {known}."
            if line["fleet"]
            else "Say which fleet it belongs to."
        )
    if not line["unit"]:
        yield "It has no unit number."
    elif len(line["unit"]) > 40:  # noqa: PLR2004 - as long as a unit number may be
        yield f"Its unit number is longer than 40 characters: {line['unit'][:20]}…"
    if shape is None:
        yield f"No pattern of axles is called “{line['axles']}”: write it as on the page where a vehicle is added, such as “Van” or “Tractor 6x4”."
    if line["vin"]:
        try:
            plain(line["vin"])
        except VinError as error:
            yield str(error)
    if line["year"] and not (line["year"].isdecimal() and _OLDEST <= int(line["year"]) <= dt.date.today().year + 1):  # noqa: DTZ011 - a year
        yield f"Expected a year such as 2019, got {line['year']}."
