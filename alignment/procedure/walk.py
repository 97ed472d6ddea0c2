"""The order of the feet: forward along the left side, round the nose, and back along the right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from alignment.procedure.placing import Station
from alignment.vehicle import Vehicle, axle_name

_AT_ONE_PLACE = ("runout", "camber", "rim_angle", "wheel_axis", "toe", "caster", "sai", "swing", "turn", "drive_over",
                 "toe_scales", "cross_dial", "tape_toe", "toe_gauge", "setback_scales", "hub_square", "frame_side",
                 "mirror_pair", "outboard_pair")  # fmt: skip
"""What is read first where several scales hang at one place: the wheel's own, then across, then along."""


@dataclass(frozen=True)
class Stop:
    """One number to read on the walk: the station, the field, and where the person stands."""

    station: Station
    field: str
    side: str
    axle: int

    @property
    def slot(self) -> str:
        return f"{self.station.slot}/{self.field}"


def stops(stations: Sequence[Station], setup: int, stage: str) -> tuple[Stop, ...]:
    """The numbers of one set-up (or of the roll) in the order of the walk round the vehicle.

    At each place camber comes first, then toe, then setback, then the flag. Where the axles are level a place is read
    before the next is left. What has no side is read on the left, where the walk begins.
    """
    found = [
        Stop(station, path, _side_of(station, path), _stands_at(station))
        for station in stations
        if station.stage == stage and station.setup == setup
        for path in station.fields
    ]

    def along(stop: Stop) -> tuple[int, int, int]:
        left = stop.side == "left"
        order = _AT_ONE_PLACE.index(stop.station.reading["kind"])
        return (0 if left else 1, -stop.axle if left else stop.axle, order)

    return tuple(sorted(found, key=along))


def _side_of(station: Station, path: str) -> str:
    if "side" in station.reading:
        return str(station.reading["side"])
    return "right" if path.startswith("right") else "left"


def _stands_at(station: Station) -> int:
    on = station.reading.get("on", station.reading.get("from_axle"))
    return on if isinstance(on, int) else int(station.reading["axle"])


def say_stop(vehicle: Vehicle, stop: Stop) -> str:
    """A stop in words: "left front flag"."""
    return f"{stop.side} {axle_name(vehicle, stop.axle)} {stop.station.scale}"
