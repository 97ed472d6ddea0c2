"""Axle patterns as data: the layouts that vehicles come in, from a car to a four-axle trailer."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from alignment.model.vehicle import Axle, Datum, Vehicle, default_datum, default_thrust_axle

_FILE = Path(__file__).parent / "patterns.toml"


@dataclass(frozen=True)
class Pattern:
    """A layout. ``duals`` are the axles with twin wheels, whose tracks are those of the outer wheels.

    ``group`` is ``car``, ``van``, ``truck``, ``bus`` or ``trailer``. ``steering_ratio`` is how far the steering wheel
    turns for one degree at the road wheels, None where there is none.
    """

    code: str
    title: str
    group: str
    vehicle: Vehicle
    duals: frozenset[int]
    steering_ratio: float | None

    @property
    def datum(self) -> Datum:
        """The line this vehicle is usually measured against: its axles, or a trailer's king pin and last axle."""
        if self.vehicle.kingpin_mm is not None:
            return Datum("kingpin", None, len(self.vehicle.axles))
        return default_datum(self.vehicle)

    @property
    def wheels_on(self) -> dict[int, int]:
        """How many tyres each axle stands on."""
        return {axle.number: 4 if axle.number in self.duals else 2 for axle in self.vehicle.axles}

    def as_dict(self) -> dict[str, Any]:
        """The layout as the job file gives a vehicle, with its datum."""
        vehicle: dict[str, Any] = {"axles": [as_entry(axle) for axle in self.vehicle.axles]}
        if self.vehicle.thrust_axle is not None:
            vehicle["thrust_axle"] = self.vehicle.thrust_axle
        if self.vehicle.kingpin_mm is not None:
            vehicle["kingpin_mm"] = self.vehicle.kingpin_mm
        datum = self.datum
        ends = {"axles": {"front": datum.front, "rear": datum.rear}, "frame": {}, "kingpin": {"axle": datum.rear}}
        return {"vehicle": vehicle, "datum": {"kind": datum.kind, **ends[datum.kind]}}


def as_entry(axle: Axle) -> dict[str, Any]:
    """An axle as the job file gives it."""
    entry: dict[str, Any] = {"role": axle.role, "position_mm": axle.position_mm, "track_mm": axle.track_mm}
    if axle.rigid:
        entry["rigid"] = True
    if axle.steers != (axle.role == "steer"):
        entry["steers"] = axle.steers
    return entry


def _axle(number: int, entry: Sequence[Any]) -> Axle:
    role, position, track, *words = entry
    steers = role == "steer" or "steers" in words
    return Axle(number, role, float(position), float(track), "rigid" in words, steers)


@cache
def patterns() -> dict[str, Pattern]:
    """Every pattern by its code."""
    found = {}
    for entry in tomllib.loads(_FILE.read_text(encoding="utf-8"))["patterns"]:
        axles = tuple(_axle(number, row) for number, row in enumerate(entry["axles"], start=1))
        vehicle = Vehicle(axles, default_thrust_axle(axles), entry.get("kingpin_mm"))
        duals = frozenset(number for number, row in enumerate(entry["axles"], start=1) if "duals" in row)
        found[entry["code"]] = Pattern(
            entry["code"], entry["title"], entry["group"], vehicle, duals, entry.get("steering_ratio")
        )
    return found


def pattern(code: str) -> Pattern:
    """The pattern of that code. **Raises** KeyError that lists the codes there are."""
    if code not in patterns():
        raise KeyError(f"no pattern is called {code}; there are {', '.join(patterns())}")
    return patterns()[code]
