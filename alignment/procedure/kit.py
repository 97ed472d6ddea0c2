"""A kit as data, and the stations it gives on a vehicle: each place where a person reads a scale.

A kit's file says what is hung where, what is read off it, how well, and what it cannot see. Placed on a vehicle it
becomes set-ups and stations (placing.py); the walk (walk.py) puts the stations in the order of the feet.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from alignment.estimate.blocks import Structure
from alignment.judge.results import undetermined
from alignment.model.state import LEVEL, Layout
from alignment.model.vehicle import Datum, Vehicle
from alignment.procedure.placing import Placing
from alignment.procedure.session import carried_clamps
from alignment.procedure.station import Setup, Station
from alignment.readings import KINDS

_FOLDER = Path(__file__).parent / "kits"


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
        """The clamp error that the kit accepts, degrees; 0 where it has no clamps to true."""
        return float(self.data.get("runout", {}).get("limit_deg", 0.0))

    @property
    def clamp_u_deg(self) -> float:
        """Standard uncertainty of each part of a clamp's error on a wheel that was not rolled; 0 where nothing is clamped."""
        return float(self.data.get("clamp", {}).get("u_deg", 0.0))

    @property
    def rims_mm(self) -> tuple[float, float] | None:
        """The least and largest rim diameter that its clamps hold, None where nothing is clamped."""
        rims = self.data.get("rims_mm")
        return None if rims is None else (float(rims[0]), float(rims[1]))

    @property
    def figures(self) -> tuple[str, ...]:
        """How well each of its scales, its clamps and its gauge are known, as standard uncertainties, each with its reason."""
        data = self.data
        said = [
            (data["scales"][kind]["title"] + _WHEN.get(kind, ""), _size(kind, u), data["reasons"][kind])
            for kind, u in data["u"].items()
        ]
        if "clamp" in data:
            said.append(("a clamp that is not rolled", f"{self.clamp_u_deg:g}°", data["reasons"]["clamp"]))
        if "gauge" in data:
            said.append(
                (f"the {data['gauge']['name']}'s zero", f"{data['gauge']['zero_u_deg']:g}°", data["reasons"]["gauge"])
            )
        if self.runout_limit_deg:
            said.append(("a clamp is accepted within", f"{self.runout_limit_deg:g}°", data["reasons"]["limit"]))
        return tuple(f"{name[0].upper()}{name[1:]}: {size} ({reason})" for name, size, reason in said)

    @property
    def kinds(self) -> frozenset[str]:
        """Kinds of reading that it gives."""
        templates = [entry["kind"] for setup in self.data["setups"] for entry in setup["readings"]]
        return frozenset([*templates, *(["runout"] if "runout" in self.data else [])])

    def fits(self, rim_mm: float) -> bool:
        """Whether its clamps hold a rim of this diameter."""
        return self.rims_mm is None or self.rims_mm[0] <= rim_mm <= self.rims_mm[1]

    def setups(self, vehicle: Vehicle, judged: Iterable[tuple[str, int]] = ()) -> tuple[Setup, ...]:
        """The hangings of the tools on a vehicle, in working order; ``judged`` as for ``stations``."""
        return Placing(self.data, vehicle, judged).setups

    def stations(self, vehicle: Vehicle, judged: Iterable[tuple[str, int]] = ()) -> tuple[Station, ...]:
        """Every reading of the kit on a vehicle, in the order of the work. ``phase`` is left open.

        ``judged`` are quantities of the specification, each with its axle: what a tool in the van tells of them is read too.
        """
        return tuple(Placing(self.data, vehicle, judged).stations())

    def cannot_tell(self, vehicle: Vehicle, datum: Datum) -> tuple[str, ...]:
        """Paths of the results that all its readings together leave undetermined on a vehicle.

        Angles that it determines worse than the contract's limits count as determined here: that depends on the
        readings' uncertainties.
        """
        readings = [station.blank() for station in self.stations(vehicle)]
        carried = [KINDS[data["kind"]](data) for data in carried_clamps((r.data for r in readings), (), {}, 1.0)]
        return undetermined(Structure(Layout(vehicle, datum), LEVEL, [*readings, *carried]))


_WHEN = {"swing": " in a sweep", "runout": " on a wheel that is rolled"}
_OF_A_PLACE = {
    "u_along_mm": " along its axis",
    "u_camber_deg": " of camber",
    "u_sai_deg": " of inclination",
}
_PARTS = {"setup": " for hanging it", "per_metre": " for each metre", "reading": ""}


def _size(kind: str, u: float | Mapping[str, float]) -> str:
    """A figure of a kit's file in words: "0.4 mm, 0.3 mm for hanging it, 0.1 mm for each metre"."""
    unit = " mm" if KINDS[kind].UNIT == "mm" else "°"
    if not isinstance(u, Mapping):
        return f"{u:g}{unit}"
    if "u_deg" in u:
        return " and ".join(
            f"{size:g}{' mm' if key.endswith('mm') else '°'}{_OF_A_PLACE.get(key, '')}" for key, size in u.items()
        )
    return ", ".join(f"{size:g}{unit}{_PARTS[part]}" for part, size in u.items())


def toe_only(vehicle: Vehicle, stations: Sequence[Station]) -> tuple[Station, ...]:
    """The stations of the quick job: toe of the steered axles alone, with the runout of their clamps and nothing at another axle.

    What it cannot know is the thrust line: whether the toe is shared evenly.
    """
    steered = {axle.number for axle in vehicle.axles if axle.steers}
    toe = {s.reading["axle"] for s in stations if s.kind.TELLS_TOE} & steered
    own = [s for s in stations if s.reading["axle"] in toe and s.reading.get("to_axle", s.reading["axle"]) in toe]
    return tuple(s for s in own if s.kind.TELLS_TOE or s.reading["kind"] == "runout")


@cache
def kit(code: str) -> Kit:
    """The kit of that code. **Raises** KeyError for a code without a data file."""
    path = _FOLDER / f"{code}.toml"
    if code not in kit_codes():
        raise KeyError(f"no kit is called {code}; there are {', '.join(kit_codes())}")
    data = tomllib.loads(path.read_text(encoding="utf-8"))
    for setup in data["setups"]:
        for entry in setup["readings"]:
            KINDS[entry["kind"]]  # a misspelt kind is told when the kit is loaded, not in the yard
    return Kit(code, data)


@cache
def kit_codes() -> tuple[str, ...]:
    """Codes of all kits."""
    return tuple(sorted(path.stem for path in _FOLDER.glob("*.toml")))
