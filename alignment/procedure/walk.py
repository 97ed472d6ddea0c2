"""The order of the feet: forward along the left side, round the nose, and back along the right.

A sweep goes in the order of the steering wheel instead: everything that is read with it turned left, on both wheels,
then everything with it turned right. So one swing to each side serves caster, inclination and turning angles.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from alignment.model.vehicle import Vehicle, axle_name
from alignment.procedure.station import Station
from alignment.speech import side_name


@dataclass(frozen=True)
class Stop:
    """One number to read on the walk: the station, the field, and where the person stands, mm behind axle 1.

    ``steered`` is where the steering wheel is turned for it: "left" or "right", or empty for any other number.
    """

    station: Station
    field: str
    side: str
    axle: int
    at_mm: float
    steered: str = ""

    @property
    def slot(self) -> str:
        return f"{self.station.slot}/{self.field}"


def stops(vehicle: Vehicle, stations: Sequence[Station], setup: int, stage: str) -> tuple[Stop, ...]:
    """The numbers of one set-up (or of the roll) in the order of the walk round the vehicle.

    At each place on the left camber comes first, then toe, then setback, then the flag; on the right the other way
    round, as one comes to it from the other end. What has no side is read on the left, where the walk begins.

    With the steering turned to a side, the wheel that turns out comes first: its turntable says how far to turn. Then the
    other wheel's turntable is read as it stands, and its gauges once that wheel is turned in as far.
    """
    found = [
        Stop(
            station, path, _side_of(station, path), _stands_at(station), _along(vehicle, station),
            _steered(vehicle, station, path),
        )
        for station in stations
        if station.stage == stage and station.setup == setup
        for path in station.fields
    ]  # fmt: skip

    def along(stop: Stop) -> tuple[float, ...]:
        left = stop.side == "left"
        order = stop.station.kind.WALK
        walked = (0, -stop.at_mm, order) if left else (1, stop.at_mm, -order)
        if not stop.steered:
            return (0, *walked)
        turned_in = stop.field.endswith("_in_deg")
        return (("left", "right").index(stop.steered), turned_in, not turned(stop), *walked)

    return tuple(sorted(found, key=along))


_WAYS = ("out", "in")
_OUTER_ON_THE_RIGHT = "outer_left_turn_deg"
"""Turning left, the outer wheel is the right one."""


def _side_of(station: Station, path: str) -> str:
    if "side" in station.reading:
        return str(station.reading["side"])
    return "right" if path.startswith("right") or path == _OUTER_ON_THE_RIGHT else "left"


def _steered(vehicle: Vehicle, station: Station, path: str) -> str:
    """Where the steering wheel is turned for a number: "left" or "right"; empty where it stands straight."""
    if station.kind.KIND == "turn":
        return "right" if path == "outer_right_turn_deg" else "left"
    for way in _WAYS:
        if path.endswith(f"_{way}_deg") and "side" in station.reading:
            left = (station.reading["side"] == "left") == (way == "out")
            return "left" if left != vehicle.steers_against(station.reading["axle"]) else "right"
    return ""


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
    """A stop in words: "left front flag", "left axle 2 frame gauge, far", "left front protractor, steering left, …"."""
    which = _which(stop)
    # The outer wheel's number says itself which way is turned.
    steering = f", steering {stop.steered}" if stop.steered and "turning" not in which else ""
    side = f"{side_name(stop.side)} " if _is_of_a_side(stop) else ""
    return f"{side}{axle_name(vehicle, stop.axle)} {stop.station.scale}{steering}{which}"


def _is_of_a_side(stop: Stop) -> bool:
    """Whether a number is that of one side, and not only read there."""
    return bool(stop.steered) or "side" in stop.station.reading or stop.field.startswith(("left", "right"))


def turned(stop: Stop) -> str:
    """How far the wheel is turned for a number of a sweep: "20° out"; empty for any other number."""
    reading = stop.station.reading
    for way in _WAYS:
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
