"""Read a job file in: it becomes a job of its own, with a field for every number in the file."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Any

import msgspec
from django.db import transaction
from django.utils import timezone
from uuid6 import uuid7

from alignment.errors import Fault, JobFileError
from alignment.jobfile import parse, read_document
from alignment.procedure.kit import kit as core_kit
from alignment.procedure.kit import kit_codes
from alignment.procedure.station import Setup, Station
from alignment.readings import KINDS
from rectaxis.drawing.kinds import DRAWN
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Entry, Job, Sighting
from rectaxis.record.slot import SEALED, Phase, Scale
from rectaxis.record.snapshot import Rig, Spec, as_json
from rectaxis.record.writing import writing
from rectaxis.visit.fields import plain_text

MOST_READINGS = 500
"""Each becomes a field on a page that a person can use; the core alone takes any number."""


@transaction.atomic
def read_in_job_file(person: User, vehicle: Vehicle, raw: bytes) -> Job:
    """Make a job on ``vehicle`` from a job file. **Raises** PermissionDenied, and JobFileError with every fault."""
    demand(allowed=may_measure(person))
    document = read_document(raw)
    parse(document)
    _refuse_what_cannot_be_kept(document)
    readings = document.get("readings", [])
    if len(readings) > MOST_READINGS:
        message = f"a job here takes at most {MOST_READINGS} readings, this file has {len(readings):,}; divide it"
        raise JobFileError([Fault("/readings", message)])
    _refuse_what_is_not_drawn(readings)
    layout = Layout(vehicle=document["vehicle"], datum=document.get("datum"))
    own = Layout.from_json(vehicle.layout)
    if own.vehicle == layout.vehicle:
        layout = msgspec.structs.replace(own, datum=layout.datum or own.datum)
    stations, numbers = _stations(readings)
    spec = Spec(name="as in the job file", source="job file", rows=tuple(document.get("spec", ())))
    rig = Rig(
        name="as in the job file", runout_limit_deg=0.03, setups=tuple(_setups(stations)), stations=tuple(stations),
        grounds=tuple(one for one in readings if not (KINDS[one["kind"]].SHOWN or KINDS[one["kind"]].SEEN)),
        seen=tuple(sorted({(one["axle"], one["side"]) for one in readings if one["kind"] == "wheel_axis"})),
    )  # fmt: skip
    job = Job.objects.create(
        vehicle=vehicle, kit=None, technician=person, planned_at=timezone.now(), asked="Read in from a job file",
        status=Job.Status.OPEN, layout=layout.as_json(), specification=as_json(spec), rig=as_json(rig),
    )  # fmt: skip
    with writing(person, job) as book:
        book.add_all([
            Entry(pk=uuid7(), slot=slot, typed=f"{value:.12g}", value=value) for slot, value in numbers.items()
        ])  # fmt: skip
        for phase in SEALED:
            told = _seen(readings, phase)
            if told:
                book.add(Sighting(pk=uuid7(), phase=phase, readings=told))
    return job


def _seen(readings: list[dict[str, Any]], phase: str) -> list[dict[str, Any]]:
    """What cameras told in a phase, its rows named by their places among these alone."""
    mine = [at for at, one in enumerate(readings) if KINDS[one["kind"]].SEEN and one["phase"] == phase]
    places, found = {at: number for number, at in enumerate(mine)}, []
    for at in mine:
        one = {key: value for key, value in readings[at].items() if key not in ("phase", "as_read")}
        if one["kind"] == "rig":
            one["rows"] = [[places[row], name] for row, name in one["rows"]]
        found.append(one)
    return found


def _refuse_what_cannot_be_kept(data: Any, pointer: str = "") -> None:
    """A text with a character that the database cannot keep is a fault of the file."""
    if isinstance(data, dict):
        for key, value in data.items():
            _refuse_what_cannot_be_kept(key, pointer)
            _refuse_what_cannot_be_kept(value, f"{pointer}/{key}")
    elif isinstance(data, list):
        for index, value in enumerate(data):
            _refuse_what_cannot_be_kept(value, f"{pointer}/{index}")
    elif isinstance(data, str):
        try:
            plain_text(data)
        except RecordError as error:
            raise JobFileError([Fault(pointer, str(error))]) from None


def _refuse_what_is_not_drawn(readings: list[dict[str, Any]]) -> None:
    """A reading without a place on the drawing could not be shown, and must not be dropped in silence."""
    faults = [
        Fault(f"/readings/{index}/kind", f"is {reading['kind']}, which these screens do not show yet; solve the file "
              "with python -m alignment")
        for index, reading in enumerate(readings)
        if KINDS[reading["kind"]].SHOWN and not KINDS[reading["kind"]].SEEN and reading["kind"] not in DRAWN
    ]  # fmt: skip
    if faults:
        raise JobFileError(faults)


def _setups(stations: list[Station]) -> Iterator[Setup]:
    for axle in sorted({s.reading["axle"] for s in stations if s.stage == "read"}):
        yield Setup(axle, f"Readings on axle {axle}", heads=axle, flags=_carrier(stations, axle), hang=())


def _carrier(stations: list[Station], axle: int) -> int:
    carriers = [s.reading.get("on") for s in stations if s.reading["axle"] == axle]
    return next((on for on in carriers if isinstance(on, int)), axle)


def _stations(readings: list[dict[str, Any]]) -> tuple[list[Station], dict[str, float]]:
    """A station for each place that the file read, shared by both phases where it was set up alike; numbers by slot."""
    stations: dict[str, Station] = {}
    numbers: dict[str, float] = {}
    used: set[tuple[str, str]] = set()
    for reading in readings:
        if KINDS[reading["kind"]].SEEN or not KINDS[reading["kind"]].SHOWN:
            continue
        make = _runout_station if reading["kind"] == "runout" else _plain_station
        station, values = make(reading)
        for slot in (station.slot, *(f"{station.slot}/again-{n}" for n in range(2, len(readings) + 2))):
            there = stations.get(slot)
            if (reading["phase"], slot) not in used and (there is None or _alike(there, station)):
                break
        used.add((reading["phase"], slot))
        least, most = (
            (station.least, station.most)
            if there is None
            else (min(there.least, station.least), max(there.most, station.most))
        )
        stations[slot] = replace(station, slot=slot, least=least, most=most)
        numbers |= {str(Scale(Phase(reading["phase"]), slot, field)): value for field, value in values.items()}
    return list(stations.values()), numbers


def _alike(one: Station, other: Station) -> bool:
    """Whether two stations differ in nothing but the numbers read: distance, uncertainty and clamp are part of it."""
    return (one.reading, one.fields) == (other.reading, other.fields)


def _runout_station(reading: dict[str, Any]) -> tuple[Station, dict[str, float]]:
    fields = tuple(f"roll_{n}" for n, _ in enumerate(reading["positions"]))
    template = {key: value for key, value in reading.items() if key not in ("phase", "positions", "as_read")}
    template["positions"] = [{k: v for k, v in p.items() if k != "camber_deg"} for p in reading["positions"]]
    slot = f"runout/{reading['axle']}/{reading['side']}"
    values = dict(zip(fields, (p["camber_deg"] for p in reading["positions"]), strict=True))
    title, least, most = _scale("runout", values.values())
    return Station(slot, 0, "roll", title, least, most, template, fields), values


def _plain_station(reading: dict[str, Any]) -> tuple[Station, dict[str, float]]:
    measured = tuple(field.name for field in KINDS[reading["kind"]].FIELDS if field.measured and field.name in reading)
    template = {key: value for key, value in reading.items() if key not in ("phase", "as_read", *measured)}
    where = "/".join(str(reading[key]) for key in ("axle", "side") if key in reading)
    title, least, most = _scale(reading["kind"], [reading[name] for name in measured])
    slot = f"{reading['kind']}/{where}"
    station = Station(slot, reading["axle"], "read", title, least, most, template, measured)
    return station, {name: reading[name] for name in measured}


def _scale(kind: str, values: Iterable[float]) -> tuple[str, float, float]:
    """A scale to draw the numbers on: the usual one of its kind, lengthened where the file goes beyond it."""
    usual = next((scale for code in kit_codes() if (scale := core_kit(code).data["scales"].get(kind))), None)
    if usual is None:
        return KINDS[kind].TITLE, min(_ANY[0], *values), max(_ANY[1], *values)
    return usual["title"], min(usual["least"], *values), max(usual["most"], *values)


_ANY = (-15.0, 15.0)
"""Ends of the scale of a kind that no kit reads: an angle."""
