"""A simulated vehicle in the yard: a hidden true state that scales are read off and moves change."""

from __future__ import annotations

import random
from collections.abc import Mapping
from typing import Any

from alignment.adjust.see import WheelTurn, showing
from alignment.procedure.kit import Station
from alignment.readings import KINDS
from alignment.state import LEVEL, Ground, Layout, State
from alignment.vehicle import Datum, Vehicle

_MID_SCALE = {"outboard_pair": 40.0, "setback_scales": 30.0}
"""Where an untouched pair of scales reads, mm: the free mean of the kinds that have one."""


class World:
    """The truth, by names of unknowns in degrees and millimetres. What is not named is zero."""

    def __init__(self, vehicle: Vehicle, datum: Datum, truth: Mapping[str, float], ground: Ground = LEVEL) -> None:
        self.vehicle = vehicle
        self.datum = datum
        self.truth = dict(truth)
        self.ground = ground

    def state_for(self, kind: str, data: Mapping[str, Any]) -> State:
        """The true state over the unknowns of one reading."""
        layout = Layout(self.vehicle, self.datum)
        KINDS[kind](data).declare(layout)
        known = {name: value for name, value in self.truth.items() if layout.find(name) is not None}
        bases = {name: _MID_SCALE["outboard_pair"] for name in layout.names if name.endswith("base_mm")}
        return State.from_values(layout, {**bases, **known}.items(), self.ground)

    def read(self, station: Station, rng: random.Random | None = None) -> dict[str, float]:
        """What a person reads at a station, by field path; with ``rng`` a normal error of the station's own ``u``."""
        template = dict(station.reading)
        if template["kind"] == "runout":
            template["positions"] = [{**position, "camber_deg": 0.0} for position in template["positions"]]
        else:
            template |= dict.fromkeys(station.fields, _MID_SCALE.get(template["kind"], 0.0))
        if template["kind"] == "camber":
            template["clamp"] = "raw"  # the gauge hangs on the clamp, whatever is left of the clamp's error
        template.setdefault("phase", "before")
        reading = KINDS[template["kind"]](template)
        shown = showing(self.state_for(template["kind"], template), reading)
        if "positions" in shown:
            values = [position["camber_deg"] for position in shown["positions"]]
        else:
            values = [shown[path] for path in station.fields]
        error = rng.gauss if rng is not None else lambda *_: 0.0
        return {path: value + error(0.0, reading.u) for path, value in zip(station.fields, values, strict=True)}

    def turn(self, axle: int, side: str, change_deg: float) -> None:
        """Turn one wheel's toe by an angle, as an adjuster does."""
        layout = Layout(self.vehicle, self.datum)
        state = State.from_values(layout, ((n, v) for n, v in self.truth.items() if layout.find(n) is not None))
        WheelTurn(axle, side, change_deg).apply(state)
        self.truth |= state.as_values()

    def true_clamp(self, axle: int, side: str, left_over_deg: float = 0.0) -> None:
        """Turn a clamp's knobs until next to nothing is left."""
        at = f"axles/{axle}/{side}/clamp"
        self.truth |= {f"{at}/cosine_deg": left_over_deg, f"{at}/sine_deg": -left_over_deg / 2}
