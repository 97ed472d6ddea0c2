"""The order of the feet: forward along the left side, round the nose, and back along the right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from alignment.model.vehicle import Vehicle, axle_name
from alignment.procedure.station import Station


@dataclass(frozen=True)
class Stop:
    """One number to read on the walk: the station, the field, and where the person stands, mm behind axle 1."""

    station: Station
    field: str
    side: str
    axle: int
    at_mm: float

    @property
    def slot(self) -> str:
        return f"{self.station.slot}/{self.field}"


def stops(vehicle: Vehicle, stations: Sequence[Station], setup: int, stage: str) -> tuple[Stop, ...]:
    """The numbers of one set-up (or of the roll) in the order of the walk round the vehicle.

    At each place on the left camber comes first, then toe, then setback, then the flag; on the right the other way
    round, as one comes to it from the other end. What has no side is read on the left, where the walk begins.
    """
    found = [
        Stop(station, path, _side_of(station, path), _stands_at(station), _along(vehicle, station))
        for station in stations
        if station.stage == stage and station.setup == setup
        for path in station.fields
    ]

    def along(stop: Stop) -> tuple[int, float, int]:
        left = stop.side == "left"
        order = stop.station.kind.WALK
        return (0, -stop.at_mm, order) if left else (1, stop.at_mm, -order)

    return tuple(sorted(found, key=along))


def _side_of(station: Station, path: str) -> str:
    if "side" in station.reading:
        return str(station.reading["side"])
    return "right" if path.startswith("right") else "left"


def _stands_at(station: Station) -> int:
    on = station.reading.get("on", station.reading.get("from_axle"))
    return on if isinstance(on, int) else int(station.reading["axle"])


def _along(vehicle: Vehicle, station: Station) -> float:
    """Where a person stands to read a station, mm behind axle 1: at a scale on the frame, else at the axle."""
    reading = station.reading
    if reading.get("on") in ("frame", "kingpin"):
        return vehicle.axle(reading["axle"]).position_mm - float(reading["ahead_mm"])
    return vehicle.axle(_stands_at(station)).position_mm


def say_stop(vehicle: Vehicle, stop: Stop) -> str:
    """A stop in words: "left front flag", "left axle 2 frame gauge, far"."""
    return f"{stop.side} {axle_name(vehicle, stop.axle)} {stop.station.scale}{_which(stop)}"


def turned(stop: Stop) -> str:
    """How far the wheel is turned for a number of a sweep: "20° out"; empty for any other number."""
    reading = stop.station.reading
    for way in ("out", "in"):
        if f"{way}_deg" in reading and stop.field.endswith(f"_{way}_deg"):
            return f"{reading[f'{way}_deg']:g}° {way}"
    return ""


def _which(stop: Stop) -> str:
    """What tells a number apart from others of the same scale at the same wheel."""
    near = f", {stop.station.place}" if stop.station.place else ""
    sweep = turned(stop)
    if sweep:
        return f", pitch, turned {sweep}" if stop.field.startswith("pitch") else f", turned {sweep}"
    field = stop.station.kind.field(stop.field)
    return near + (f", {field.part}" if field is not None and field.part else "")
