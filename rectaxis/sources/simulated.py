"""The simulated vehicle behind a demo job: what a person would read off each scale, and how it answers to a move."""

from __future__ import annotations

import random
from collections.abc import Collection, Mapping, Sequence

from alignment.adjust.hardware import Hardware
from alignment.model.state import DEG, Ground
from alignment.procedure.station import Station
from alignment.simulate.world import World
from rectaxis.fleets.layout import Json, Layout
from rectaxis.record.journal import Journal
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase, Scale, Trued
from rectaxis.record.snapshot import looks_at
from rectaxis.sources.base import Source

_USUAL_STEP = 0.1
"""What a scale can be read to, in its own unit, where its kit does not say."""
_DROOP = 3.0
"""By how many of its steps a scale reads otherwise while a wheel is lifted. Invented."""
_TRUED_DEG = 0.008
"""What is left of a clamp's error once its knobs were turned. Invented."""


class Simulated(Source):
    """A made-up vehicle with hidden truth, kept with its job."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self.simulation: Json = job.simulation or {}
        core = Layout.from_json(job.layout).core
        truth = dict(self.simulation["truth"])
        tilt = Ground(*(truth.get(f"ground/{name}_deg", 0.0) / DEG for name in ("roll", "pitch")))
        self.world = World(core.vehicle, core.datum, truth, tilt)

    def latest(self, journal: Journal, stations: Sequence[Station], wanted: Collection[Scale]) -> Mapping[Scale, str]:
        """What the scales show, each look with its own chance."""
        self._true_clamps(journal, stations)
        by_place = {station.slot: station for station in stations}
        shown: dict[Scale, str] = {}
        for place, phase, look in dict.fromkeys((slot.place, slot.phase, slot.look) for slot in wanted):
            station = by_place.get(place)
            if station is None:
                continue
            values = self.world.read(station, self._chance(journal, phase, place, look))
            step = station.step or _USUAL_STEP
            droop = _DROOP * step if phase == Phase.AIR else 0.0
            for field in station.fields:
                slot = Scale(phase, place, field, look)
                if slot in wanted and slot in looks_at(phase, station, field):
                    shown[slot] = _as_read(values[field] + droop, step)
        return shown

    def seen(self, journal: Journal, stations: Sequence[Station]) -> list[Json]:
        """What cameras see of each wheel, each time with its own chance."""
        chance = self._chance(journal, Phase.SET, "pictures", len(journal.sightings))
        found = (station.with_values(self.world.read(station, chance)) for station in stations)
        return [reading for reading in found if reading is not None]

    def _true_clamps(self, journal: Journal, stations: Sequence[Station]) -> None:
        """Take the error out of every clamp whose knobs were turned."""
        for station in stations:
            axle, side = station.reading["axle"], station.reading.get("side", "")
            if side and journal.answer(Trued(f"runout/{axle}/{side}")):
                self.world.true_clamp(axle, side, _TRUED_DEG)

    def _chance(self, journal: Journal, phase: Phase, place: str, look: int) -> random.Random:
        seed = f"{self.simulation['seed']}/{phase}/{place}/{len(journal.moves)}/{look}"
        return random.Random(seed)  # noqa: S311 - made-up data

    def answer_to(self, one: Hardware, effect: Mapping[str, float]) -> None:
        """Change by the hidden share of what is expected that this kind of adjuster does on this vehicle."""
        share = self.simulation.get("shares", {}).get(one.KIND, self.simulation.get("share", 1.0))
        done = {path: size * share for path, size in effect.items()}
        if one.knuckle:
            # A knuckle that leans turns, too; how much nobody has been told.
            for path in [path for path in done if path.endswith("/camber_deg")]:
                toe = f"{path.rpartition('/')[0]}/toe_deg"
                done[toe] = done.get(toe, 0.0) + self.simulation.get("toe_per_camber", 0.0) * done[path]
        self.world.move(done)
        self.simulation["truth"] = self.world.truth
        self.job.simulation = self.simulation
        self.job.save(update_fields=["simulation"])


def _as_read(value: float, step: float) -> str:
    """A value as a scale of that step is read."""
    return f"{round(value / step) * step + 0.0:.3f}".rstrip("0").rstrip(".")
