"""One visit made up on rigid bodies: read with tools that err, one adjuster moved, read again. For trials and for tests."""

from __future__ import annotations

import random
from collections.abc import Sequence
from typing import Any

from alignment.adjust.hardware import KINDS, hardware_of
from alignment.estimate.solve import solve
from alignment.judge.results import PhaseResults, results_of
from alignment.judge.verdict import Rule
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.procedure.session import Values, clamps, readings
from alignment.readings import KINDS as READINGS
from alignment.simulate.jobs import tools_truth
from alignment.simulate.moving import Body
from alignment.simulate.truth import random_truth
from alignment.simulate.world import TracedWorld

ENTRIES: dict[str, tuple[str, int, dict[str, Any]]] = {
    "tie_rod": ("car", 1, {"pitch_mm": 1.5, "arm_mm": 150.0}),
    "track_rod": ("truck_4x2", 1, {"pitch_mm": 1.5, "arm_mm": 200.0}),
    "drag_link": ("truck_4x2", 1, {"pitch_mm": 1.5, "arm_mm": 220.0}),
    "torque_rod": ("truck_6x4", 3, {"pitch_mm": 2.0, "lever_mm": 900.0}),
    "radius_rod": ("truck_4x2", 1, {"pitch_mm": 2.0, "lever_mm": 900.0}),
    "panhard_rod": ("truck_6x4", 3, {"pitch_mm": 2.0}),
    "caster_wedge": ("truck_4x2", 1, {}),
    "arm_shims": ("car", 1, {"height_mm": 320.0, "thickness_mm": 1.6, "bolt": "only", "installed": 3}),
    "cam": ("car", 1, {"height_mm": 320.0, "throw_mm": 5.0}),
    "toe_cam": ("car", 2, {"arm_mm": 160.0, "throw_mm": 4.0}),
    "insert_plate": ("car", 1, {"mounting": "upper", "installed": "3", "table": {
        str(n): {"camber": 0.2 * (n - 3), "caster": 0.1 * (n - 3)} for n in range(1, 6)}}),
    "spring_shims": ("truck_6x4", 2, {"thickness_mm": 0.8, "lever_mm": 900.0, "installed": 3}),
    "slotted_seat": ("truck_6x4", 3, {"lever_mm": 900.0}),
    "eccentric_rod": ("truck_6x4", 3, {"lever_mm": 900.0, "throw_mm": 6.0}),
    "paired_bush": ("truck_6x4", 3, {"lever_mm": 900.0, "throw_mm": 3.0}),
}  # fmt: skip
"""For each kind of adjuster a pattern, an axle and its dimensions. Invented."""
LARGE_DEG = 1.0
"""No clamp is called off here: its error is taken as it is."""


class MadeUpVisit:
    """A vehicle of bodies, a kit whose clamps and gauges err, and one adjuster."""

    def __init__(self, kind: str, seed: int, kit_code: str = "frame_gauge_lasers") -> None:
        code, axle, fields = ENTRIES[kind]
        self.on, self.kit = pattern(code), kit(kit_code)
        self.rng = random.Random(f"{kind}/{seed}")  # noqa: S311 - made-up data
        sided = {"side": "left"} if KINDS[kind].SIDED else {}
        (self.one,) = hardware_of([{"kind": kind, "axle": axle, **sided, **fields}])
        self.stations = self.kit.stations(self.on.vehicle)
        truth = random_truth(self.on.vehicle, self.on.datum, self.rng)
        rolled = {(s.reading["axle"], s.reading["side"]) for s in self.stations if "positions" in s.reading}
        blanks = [station.blank() for station in self.stations]
        truth |= tools_truth(self.on, self.kit, blanks, rolled, self.rng)
        self.body = Body(self.on.vehicle, truth)
        self.rolled = self.read(runout=True)
        self.clamps = clamps(self.on.vehicle, self.stations, self.rolled, LARGE_DEG)

    def read(self, *, runout: bool) -> Values:
        """What the scales of the sweep and the reading show now, or those of the runout."""
        world = TracedWorld(self.on.vehicle, self.on.datum, self.body.truth)
        wanted = [s for s in self.stations if ("positions" in s.reading) == runout]
        return {s.slot: world.read(s, self.rng) for s in wanted}

    def results(self, rules: Sequence[Rule] = (), *, moved: bool) -> PhaseResults:
        """What is read now; once the wheel was moved its runout says only what its clamp's error is."""
        values = {**self.read(runout=False), **({} if moved else self.rolled)}
        earlier = {
            (s.reading["axle"], s.reading["side"]): self.clamps[s.slot] for s in self.stations if s.slot in self.clamps
        }
        made = readings(self.on.vehicle, self.stations, values, "before", earlier=earlier)
        found = [READINGS[data["kind"]](data) for data in made]
        return PhaseResults.from_solution(solve(self.on.vehicle, self.on.datum, found), rules)

    def true(self, results: PhaseResults, path: str) -> float:
        """The truth behind a result."""
        combination = results_of(results.solution.layout)[path].combination
        names = results.solution.layout.names
        return sum(factor * self.body.truth.get(names[index], 0.0) for index, factor in combination.items())
