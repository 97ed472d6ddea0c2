"""A simulated vehicle in the yard: a hidden true state that scales are read off and moves change."""

from __future__ import annotations

import random
from collections.abc import Mapping
from typing import Any

from alignment.adjust.effects import change_for
from alignment.adjust.see import showing
from alignment.model.state import LEVEL, Ground, Layout, State
from alignment.model.vehicle import Datum, Vehicle
from alignment.procedure.station import Station
from alignment.readings import KINDS, Reading
from alignment.simulate.bodies import Bodies


class World:
    """The truth, by names of unknowns in degrees and millimetres. What is not named is zero."""

    def __init__(self, vehicle: Vehicle, datum: Datum, truth: Mapping[str, float], ground: Ground = LEVEL) -> None:
        self.vehicle = vehicle
        self.datum = datum
        self.truth = dict(truth)
        self.ground = ground

    def state_for(self, reading: Reading) -> State:
        """The true state over the unknowns of one reading."""
        layout = Layout(self.vehicle, self.datum)
        reading.declare(layout)
        known = {name: value for name, value in self.truth.items() if layout.find(name) is not None}
        bases = {name: KINDS["outboard_pair"].AT_REST for name in layout.names if name.endswith("base_mm")}
        return State.from_values(layout, {**bases, **known}.items(), self.ground)

    def shown(self, station: Station) -> Reading:
        """The reading at a station as its scales stand, without error."""
        kind = station.kind
        at_rest = station.blank()
        values = {path: (kind.at_rest(path) or value) if isinstance(value, float) else value
                  for path, value in values_at(station, at_rest.data).items()}  # fmt: skip
        blank = type(at_rest)({**at_rest.data, **(station.with_values(values) or {})})
        return type(blank)({**blank.data, **showing(self.state_for(blank), blank)})

    def read(self, station: Station, rng: random.Random | None = None) -> dict[str, Any]:
        """What a person reads at a station, by field path; with ``rng`` a normal error of the station's own ``u``."""
        reading = self.shown(station)
        values = values_at(station, reading.data)
        return values if rng is None else {path: reading.blurred(path, v, rng) for path, v in values.items()}

    def move(self, effect: Mapping[str, float]) -> None:
        """Change the truth as an adjuster does: by path of an effect, degrees and millimetres."""
        layout = Layout(self.vehicle, self.datum)
        state = State.from_values(layout, ((n, v) for n, v in self.truth.items() if layout.find(n) is not None))
        change_for(layout, effect).apply(state)
        self.truth |= state.as_values()

    def true_clamp(self, axle: int, side: str, left_over_deg: float = 0.0) -> None:
        """Turn a clamp's knobs until next to nothing is left."""
        at = f"axles/{axle}/{side}/clamp"
        self.truth |= {f"{at}/cosine_deg": left_over_deg, f"{at}/sine_deg": -left_over_deg / 2}


class TracedWorld(World):
    """The same, with every scale traced from rigid bodies instead of predicted by the readings' own formulas."""

    def shown(self, station: Station) -> Reading:
        blank = station.blank()
        return type(blank)({**blank.data, **Bodies(self.vehicle, self.truth).shown(blank)})


def values_at(station: Station, data: Mapping[str, Any]) -> dict[str, Any]:
    """The numbers of a complete reading by the station's field paths."""
    if "positions" not in data:
        return {path: data[path] for path in station.fields}
    numbers = [
        position[name] for position in data["positions"] for name in ("camber_deg", "toe_deg") if name in position
    ]
    return dict(zip(station.fields, numbers, strict=True))


def made(station: Station, values: Mapping[str, Any], phase: str) -> Reading | None:
    """The reading that the numbers of a station make, None while one is missing."""
    data = station.with_values(values)
    return None if data is None else KINDS[data["kind"]]({"phase": phase, **data})
