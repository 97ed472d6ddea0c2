"""A made-up vehicle that is rolled, steered and adjusted, and what a device on its wheels measures of it."""

from __future__ import annotations

import json
import math
import random
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from alignment.adjust.effects import change_for
from alignment.jobfile import parse
from alignment.live.measures import Measure, Measured, measure_of
from alignment.model.state import DEG, Layout, State
from alignment.model.vehicle import Datum, Vehicle, side_sign
from alignment.procedure.kit import kit
from alignment.procedure.station import Station
from alignment.readings import KINDS
from alignment.simulate.bodies import Bodies

_NOISE, _LASTS = 0.4, 0.7
"""Of a device's own uncertainty: what scatters from sample to sample, and what stays as long as it hangs. Invented."""
_LIFTED_DEG = 0.4
"""By how much a wheel's camber and toe droop while it is lifted. Invented."""
_BAR_DEG = 0.4
"""By how much the bar leans on which heads are checked. Invented."""
_UP = np.array([0.0, 0.0, 1.0])


@dataclass
class Yard:
    """The vehicle as it stands: ``rolled_deg`` forward, ``steered_deg`` to the left, ``lifted`` wheels by axle and side."""

    vehicle: Vehicle
    datum: Datum
    truth: dict[str, float]
    kit_code: str
    seed: int = 0
    rolled_deg: float = 0.0
    steered_deg: float = 0.0
    lifted: set[tuple[int, str]] = field(default_factory=set)
    hangs: frozenset[int] = frozenset()
    bar: int = 0
    """Whether all of it hangs on a straight bar that leans a little: 1 as laid, 2 turned end for end; 0: on the vehicle."""

    @classmethod
    def load(cls, path: Path) -> Yard:
        """A vehicle from a file: ``vehicle`` as a job file has it, ``truth`` by names of unknowns, ``kit`` and ``seed``, and the
        axles that the kit ``hangs`` on, where not on all.
        """
        data = json.loads(path.read_text())
        job = parse({"format": "rectaxis-job", "version": 1, "vehicle": data["vehicle"], "readings": []})
        truth = {name: float(value) for name, value in data["truth"].items()}
        hangs = frozenset(data.get("hangs", ()))
        return cls(job.vehicle, job.datum, truth, data["kit"], int(data.get("seed", 0)), hangs=hangs)

    def __post_init__(self) -> None:
        self._chance = random.Random(self.seed)  # noqa: S311 - made-up data
        self._stations: dict[str, tuple[Measure, Station, str]] = {}
        for station in kit(self.kit_code).stations(self.vehicle):
            for path in station.fields:
                of = measure_of(station, path)
                if of is not None and self._is_there(of) and (of.key not in self._stations or station.stage == "read"):
                    self._stations[of.key] = of, station, path
        self._known: tuple[object, dict[str, tuple[float, float]]] | None = None
        self._stays = {key: self._chance.gauss(0.0, _LASTS) for key in self._stations}

    def _is_there(self, of: Measure) -> bool:
        """Whether what measures hangs on the vehicle, and what it looks at."""
        looks_at = {of.axle} | ({int(of.to)} if of.to.isdecimal() else set())
        return not self.hangs or looks_at <= self.hangs

    @property
    def wheels(self) -> list[tuple[int, str]]:
        """The wheels that the device is on, by axle and side."""
        return sorted({(of.axle, of.side) for of, _, _ in self._stations.values()})

    def adjust(self, effect: Mapping[str, float]) -> None:
        """Move the vehicle as an adjuster does: by path of a result, degrees and millimetres."""
        layout = Layout(self.vehicle, self.datum)
        known = ((name, value) for name, value in self.truth.items() if layout.find(name) is not None)
        state = State.from_values(layout, known)
        change_for(layout, effect).apply(state)
        self.truth |= state.as_values()

    def measured(self) -> Iterator[Measured]:
        """What the device says now of each wheel that it is on, with its errors."""
        if self.bar:
            yield from self._on_the_bar()
            return
        for key, (of, _, _) in self._stations.items():
            value, u = self._marks()[key]
            yield Measured(of, value + u * (self._stays[key] + self._chance.gauss(0.0, _NOISE)), u)
        for axle, side in self.wheels:
            yield Measured(Measure("rolled", axle, side), self.rolled_deg, _ROLLED_U_DEG)
            if self.vehicle.axle(axle).steers:
                turned = self._turned(axle, side)
                yield Measured(Measure("turned", axle, side), turned, _TURNED_U_DEG)

    def _on_the_bar(self) -> Iterator[Measured]:
        """On the bar each shows how that leans, and its own zero; those at its ends see each other straight."""
        for of, station, _ in self._stations.values():
            u = float(station.blank().u)
            lean = (
                side_sign(of.side) * (1 if self.bar == 1 else -1) * _BAR_DEG if of.what in ("camber", "pitch") else 0.0
            )
            zero = self._zero_of(station) if of.what == "camber" else 0.0
            if of.what in ("camber", "pitch", "sight"):
                yield Measured(of, lean + zero + u * self._chance.gauss(0.0, _NOISE / 4), u)

    def _zero_of(self, station: Station) -> float:
        return self.truth.get(f"gauges/{station.reading.get('gauge', '')}/zero_deg", 0.0)

    def _turned(self, axle: int, side: str) -> float:
        """How far a wheel is steered, toe-out positive, and no further than its stops."""
        out, inward = (self.truth.get(f"axles/{axle}/{side}/lock_{end}_deg", _NO_STOP_DEG) for end in ("out", "in"))
        return min(max(side_sign(side) * self.steered_deg, -inward), out)

    def _marks(self) -> dict[str, tuple[float, float]]:
        """Where each mark stands, with its uncertainty; worked out again only when the vehicle was moved."""
        stands = (self.rolled_deg, self.steered_deg, frozenset(self.lifted), tuple(self.truth.items()))
        if self._known is None or self._known[0] != stands:
            bodies = Bodies(self.vehicle, self._as_it_stands())
            found = {
                key: (self._value(bodies, of, station, path), float(station.blank().u))
                for key, (of, station, path) in self._stations.items()
            }
            self._known = stands, found
        return self._known[1]

    def _as_it_stands(self) -> dict[str, float]:
        """The truth with the clamps' errors carried round with the wheels, and lifted wheels drooping."""
        truth, roll = dict(self.truth), self.rolled_deg / DEG
        for axle in self.vehicle.axles:
            for side in ("left", "right"):
                at = f"axles/{axle.number}/{side}"
                cosine, sine = (truth.get(f"{at}/clamp/{name}_deg", 0.0) for name in ("cosine", "sine"))
                truth[f"{at}/clamp/cosine_deg"] = cosine * math.cos(roll) + sine * math.sin(roll)
                truth[f"{at}/clamp/sine_deg"] = sine * math.cos(roll) - cosine * math.sin(roll)
                if (axle.number, side) in self.lifted:
                    truth[f"{at}/camber_deg"] = truth.get(f"{at}/camber_deg", 0.0) + _LIFTED_DEG
        return truth

    def _value(self, bodies: Bodies, of: Measure, station: Station, path: str) -> float:
        """What stands at the device's own mark, without its errors."""
        if of.what in ("camber", "pitch"):
            return self._hung(bodies, of, station)
        if of.what == "toe":
            x, y, _ = bodies.axis(bodies.tool(of.axle, of.side), of.side)
            return DEG * math.atan2(x, side_sign(of.side) * y)
        found = float(bodies.shown(station.blank())[path])
        if of.to == "frame":
            # A gauge on the frame is drawn out until its target stands before the wheel: how far, nobody has measured.
            found -= round(self.vehicle.axle(of.axle).track_mm / 2, -1)
        return found

    def _hung(self, bodies: Bodies, of: Measure, station: Station) -> float:
        """Camber, or the front-up pitch, of what hangs on a wheel, steered as it is."""
        zero = self._zero_of(station) if of.what == "camber" else 0.0
        outward = self._turned(of.axle, of.side)
        if not self.vehicle.axle(of.axle).steers or not outward:
            if of.what == "camber":
                return zero + bodies.dip(bodies.axis(bodies.tool(of.axle, of.side), of.side))
            level = side_sign(of.side) * np.cross(bodies.axis(bodies.tool(of.axle, of.side), of.side), _UP)
            return -bodies.dip(level / np.linalg.norm(level))
        end, other = ("out", "in") if outward > 0 else ("in", "out")
        ends = {f"{end}_deg": abs(outward), f"{other}_deg": 1.0}
        blank = dict.fromkeys(("camber_out_deg", "camber_in_deg", "pitch_out_deg", "pitch_in_deg"), 0.0)
        swing = KINDS["swing"]({"phase": "before", "kind": "swing", "axle": of.axle, "side": of.side, "clamp": "raw",
                                **ends, **blank})  # fmt: skip
        return zero + float(bodies.shown(swing)[f"{of.what}_{end}_deg"])


_NO_STOP_DEG = 90.0
_ROLLED_U_DEG, _TURNED_U_DEG = 0.2, 0.1
