"""A kit as data, and the stations it gives on a vehicle: each place where a person reads a scale.

A station is a reading of the job file with its measured fields still open. Its ``slot`` is a name that stays the same
for the life of a job: a typed number belongs to a slot.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from alignment.readings import KINDS
from alignment.sayback import axle_name
from alignment.vehicle import SIDES, Axle, Vehicle

_FOLDER = Path(__file__).parent / "kits"
REFERENCE_DIAMETER_MM = 400
"""The diameter that this program's toe scales are printed for; a choice, not a standard."""


@dataclass(frozen=True)
class Setup:
    """One hanging of the tools: which axle carries the heads, which the flags."""

    number: int
    title: str
    heads: int
    flags: int
    hang: tuple[str, ...]


@dataclass(frozen=True)
class Station:
    """A reading to take. ``fields`` are paths within it of the numbers to read, in walking order."""

    slot: str
    setup: int
    stage: str
    scale: str
    least: float
    most: float
    reading: Mapping[str, Any]
    fields: tuple[str, ...]

    @property
    def unit(self) -> str:
        return KINDS[self.reading["kind"]].UNIT

    def as_dict(self) -> dict[str, Any]:
        """Plain data, as a job keeps it."""
        return dict(vars(self)) | {"reading": dict(self.reading), "fields": list(self.fields)}

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Station:
        """The station that ``as_dict`` gave."""
        return cls(**{**data, "fields": tuple(data["fields"])})

    def with_values(self, values: Mapping[str, float]) -> dict[str, Any] | None:
        """The reading with its open fields filled, or None while one of them is missing.

        ``values`` are by field path. A runout counts as soon as its first two positions are there.
        """
        if self.reading["kind"] == "runout":
            return self._with_positions(values)
        if any(path not in values for path in self.fields):
            return None
        return {**self.reading, **{path: values[path] for path in self.fields}}

    def _with_positions(self, values: Mapping[str, float]) -> dict[str, Any] | None:
        positions = [
            {**position, "camber_deg": values[path]}
            for position, path in zip(self.reading["positions"], self.fields, strict=True)
            if path in values
        ]
        return {**self.reading, "positions": positions} if positions else None


@dataclass(frozen=True)
class Kit:
    """What a kit is: its data file, checked by use."""

    code: str
    data: Mapping[str, Any]

    @property
    def name(self) -> str:
        return str(self.data["name"])

    @property
    def runout_limit_deg(self) -> float:
        return float(self.data["runout_limit_deg"])

    def setups(self, vehicle: Vehicle) -> tuple[Setup, ...]:
        """The hangings of the tools on a vehicle, in working order."""
        place = {"first": vehicle.axles[0].number, "last": vehicle.axles[-1].number}
        return tuple(
            Setup(number, entry["title"], place[entry["heads"]], place[entry["flags"]], tuple(entry["hang"]))
            for number, entry in enumerate(self.data["setups"], start=1)
        )

    def stations(self, vehicle: Vehicle) -> tuple[Station, ...]:
        """Every reading of the kit on a vehicle, in the order of the work. ``phase`` is left open."""
        runout = [self._runout(axle, side) for axle in self._head_axles(vehicle) for side in SIDES]
        return (*runout, *(s for setup in self.setups(vehicle) for s in self._setup_stations(vehicle, setup)))

    def _head_axles(self, vehicle: Vehicle) -> list[int]:
        return list(dict.fromkeys(setup.heads for setup in self.setups(vehicle)))

    def _station(self, setup: int, stage: str, reading: dict[str, Any], fields: tuple[str, ...]) -> Station:
        kind = reading["kind"]
        u_key = f"u_{KINDS[kind].UNIT}"
        scale = self.data["scales"][kind]
        where = "/".join(str(reading[key]) for key in ("axle", "side") if key in reading)
        return Station(
            slot=f"{kind}/{where}", setup=setup, stage=stage, scale=scale["title"], least=scale["least"],
            most=scale["most"], reading={**reading, u_key: self.data["u"][kind]}, fields=fields,
        )  # fmt: skip

    def _runout(self, axle: int, side: str) -> Station:
        rolls = self.data["runout_rolls_deg"]
        reading = {"kind": "runout", "axle": axle, "side": side, "positions": [{"roll_deg": roll} for roll in rolls]}
        return self._station(0, "roll", reading, tuple(f"roll_{roll}" for roll in rolls))

    def _setup_stations(self, vehicle: Vehicle, setup: Setup) -> Iterator[Station]:
        heads, flags = vehicle.axle(setup.heads), vehicle.axle(setup.flags)
        both = ("left_mm", "right_mm")
        facing = self.data["setups"][setup.number - 1]["heads_facing"]
        for side in SIDES:
            camber = {"kind": "camber", "axle": heads.number, "side": side}
            yield self._station(setup.number, "read", camber, ("deg",))
        toe = {"kind": "toe_scales", "axle": heads.number, "heads": facing}
        yield self._station(setup.number, "read", {**toe, "reference_diameter_mm": REFERENCE_DIAMETER_MM}, both)
        yield self._station(setup.number, "read", {"kind": "setback_scales", "axle": heads.number}, both)
        yield self._station(setup.number, "read", self._flag_pair(heads, flags), both)

    @staticmethod
    def _flag_pair(heads: Axle, flags: Axle) -> dict[str, Any]:
        # The flags hang plumb at the hubs, so that turning a carrying wheel does not move its scale.
        ahead = heads.position_mm - flags.position_mm
        mount = f"flags for axle {heads.number}"
        return {"kind": "outboard_pair", "axle": heads.number, "ahead_mm": ahead, "on": flags.number, "mount": mount}


@cache
def kit(code: str) -> Kit:
    """The kit of that code. **Raises** KeyError for a code without a data file."""
    path = _FOLDER / f"{code}.toml"
    if code not in kit_codes():
        raise KeyError(f"no kit is called {code}; there are {', '.join(kit_codes())}")
    return Kit(code, tomllib.loads(path.read_text(encoding="utf-8")))


def kit_codes() -> tuple[str, ...]:
    """Codes of all kits."""
    return tuple(sorted(path.stem for path in _FOLDER.glob("*.toml")))


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


def stops(stations: tuple[Station, ...], setup: int, stage: str) -> tuple[Stop, ...]:
    """The numbers of one set-up (or of the roll) in the order of the walk round the vehicle.

    The walk goes forward along the left side, round the nose, and back along the right; at each place camber comes
    first, then toe, then setback, then the flag. Where the axles are level a place is read before the next is left.
    """
    found = [
        Stop(station, path, _side_of(station, path), _stands_at(station))
        for station in stations
        if station.stage == stage and station.setup == setup
        for path in station.fields
    ]
    kinds = ("runout", "camber", "toe_scales", "setback_scales", "outboard_pair")

    def along(stop: Stop) -> tuple[int, int, int]:
        left = stop.side == "left"
        order = kinds.index(stop.station.reading["kind"]) if stop.station.reading["kind"] in kinds else len(kinds)
        return (0 if left else 1, -stop.axle if left else stop.axle, order)

    return tuple(sorted(found, key=along))


def _side_of(station: Station, path: str) -> str:
    return str(station.reading.get("side") or path.removesuffix("_mm"))


def _stands_at(station: Station) -> int:
    on = station.reading.get("on")
    return on if isinstance(on, int) else int(station.reading["axle"])


def say_stop(vehicle: Vehicle, stop: Stop) -> str:
    """A stop in words: "left front flag"."""
    return f"{stop.side} {axle_name(vehicle, stop.axle)} {stop.station.scale}"
