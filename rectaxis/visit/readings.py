"""From what was typed to readings, and from readings to results. Nothing here computes an angle; it asks the core."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import cached_property, lru_cache
from typing import NamedTuple

from alignment.adjust.hardware import Hardware
from alignment.errors import TypedValueError
from alignment.jobfile import parse, solve_phase
from alignment.judge.derived import held_u_deg
from alignment.judge.plausible import questions
from alignment.judge.results import PhaseResults
from alignment.judge.runout import ClampError
from alignment.model.levelling import ground_by_eye, ground_from_bar
from alignment.model.tyres import TyreSize, parse_size
from alignment.procedure import session
from alignment.procedure.checklist import BAR, TILTED, bar_slot, size_slot
from alignment.procedure.station import LookedAt, Mean, Station, mean_of
from rectaxis.fleets.layout import Json
from rectaxis.record.journal import Journal
from rectaxis.record.models import Sighting
from rectaxis.record.slot import GROUND, LOCKED, OfAdjuster, Phase, Placed, Trued
from rectaxis.record.snapshot import Snapshot, is_runout, looks_at, scale
from rectaxis.visit.sightings import as_readings, newest

Values = dict[str, dict[str, float]]


class Typed(NamedTuple):
    """What was typed in a slot, and the number it was understood as (None for words)."""

    text: str
    value: float | None


BLANK = Typed("", None)


@lru_cache(maxsize=128)
def _solved(job_file: str, phase: str, held_u_deg: float) -> PhaseResults:
    """The results of a job file. Pages ask for those before each move again and again; nothing changes them."""
    return solve_phase(parse(json.loads(job_file)), phase, held_u_deg)


class Readings:
    """The readings of one job as they are typed, or as they were sealed."""

    def __init__(self, snapshot: Snapshot, journal: Journal) -> None:
        self.snapshot, self.journal = snapshot, journal
        self._results: dict[Phase, PhaseResults] = {}
        self._read: dict[Phase, dict[str, dict[str, Mean]]] = {}

    @cached_property
    def current(self) -> dict[str, Typed]:
        """What counts in each slot: what was typed there last, blank where the clamp's knobs were turned since."""
        entries = self.journal.entries
        found = {slot: Typed(entry.typed, entry.value) for slot, entry in entries.items()}
        for station in self.stations:
            trued = self.journal.entry(Trued(station.slot))
            for field in station.fields if trued is not None else ():
                slot = str(scale(Phase.BEFORE, station, field))
                if trued is not None and slot in found and entries[slot].sequence < trued.sequence:
                    found[slot] = BLANK
        return found

    @cached_property
    def stations(self) -> tuple[Station, ...]:
        """The stations as the person placed the tools."""
        return tuple(self._placed(station) for station in self.snapshot.rig.stations)

    def _placed(self, station: Station) -> Station:
        numbers = {}
        size = self.tyre_size(station.reading["axle"]) if "diameter_mm" in station.asked else None
        if size is not None:
            numbers[f"{station.slot}/diameter_mm"] = size.diameter_mm
        for name in station.asked:
            typed = self.journal.number(Placed(station.slot, name))
            if typed is not None:
                numbers[f"{station.slot}/{name}"] = typed
        return station.placed(numbers)

    def tyre_size(self, axle: int) -> TyreSize | None:
        """The size typed for an axle's tyres, None while none is."""
        try:
            return parse_size(self.journal.answer(size_slot(axle)))
        except TypedValueError:
            return None

    @cached_property
    def hardware(self) -> tuple[Hardware, ...]:
        """What adjusts on the vehicle, each standing where it was found."""
        typed = {one.id: self.journal.answer(OfAdjuster("found", one.id)) for one in self.snapshot.hardware}
        return tuple(one.standing_at(typed[one.id]) if typed[one.id] else one for one in self.snapshot.hardware)

    def mean(self, phase: Phase, station: Station, field: str) -> Mean | None:
        """What all looks at one scale of a phase come to, None while it was not read."""
        typed = (self.current.get(str(slot), BLANK) for slot in looks_at(phase, station, field))
        looks = [one.value for one in typed if one.value is not None]
        return mean_of(looks, station.reading_u()) if looks else None

    def means(self, phase: Phase) -> dict[str, dict[str, Mean]]:
        """What was read in a phase, by station and field. Runout is rolled once and belongs to ``before``."""
        if phase not in self._read:
            found: dict[str, dict[str, Mean]] = {}
            for station in self.stations:
                source = Phase.BEFORE if is_runout(station) else phase
                for field in station.fields:
                    mean = self.mean(source, station, field)
                    if mean is not None:
                        found.setdefault(station.slot, {})[field] = mean
            self._read[phase] = found
        return self._read[phase]

    def values(self, phase: Phase) -> Values:
        """Numbers read in a phase, by station and field."""
        return {slot: {f: mean.value for f, mean in fields.items()} for slot, fields in self.means(phase).items()}

    @cached_property
    def asked(self) -> dict[str, str]:
        """A question for each number that looks odd, by the slot of the first look at its scale."""
        found: dict[str, str] = {}
        for phase in (Phase.BEFORE, Phase.AFTER):
            if phase in self.journal.seals:
                continue
            values = self.values(phase)
            if phase == Phase.AFTER and not any(slot for slot in values if not slot.startswith("runout/")):
                continue
            last = dict(self.snapshot.layout.last) if phase == Phase.BEFORE else {}
            asked = questions(self.stations, values, self.snapshot.core.rules, last)
            found |= {f"{phase}/{at}": question for at, question in asked.items()}
        return found

    def looks(self, phase: Phase) -> dict[str, LookedAt]:
        """How often each station was read in a phase, by its slot: as often as the least read of its scales; and how far apart
        its looks stand where they do.
        """
        return {
            slot: LookedAt(min(m.count for m in fields.values()), max(m.widens for m in fields.values()))
            for slot, fields in self.means(phase).items()
        }

    @cached_property
    def clamps(self) -> dict[str, ClampError]:
        """The state of each clamp, by the slot of its runout station."""
        limit = self.snapshot.rig.runout_limit_deg
        return session.clamps(self.snapshot.vehicle, self.stations, self.values(Phase.BEFORE), limit)

    @cached_property
    def clamp_errors(self) -> dict[tuple[int, str], ClampError]:
        """What was found of each wheel's clamp, by axle and side: it stays as it is when the wheel is adjusted."""
        by_slot = self.snapshot.by_slot
        wheels = {slot: (by_slot[slot].reading["axle"], by_slot[slot].reading["side"]) for slot in self.clamps}
        return {wheels[slot]: clamp for slot, clamp in self.clamps.items()}

    def of_phase(self, phase: Phase) -> list[Json]:
        """The complete readings of ``before`` or ``after``; of a sealed phase as they were sealed."""
        if phase in self.journal.seals:
            return list(self.journal.seals[phase].job_file["readings"])
        return self.read_now(phase)

    def read_now(self, phase: Phase) -> list[Json]:
        """The complete readings of a phase from what is typed now, sealed or not."""
        # The clamps were judged before; what was rolled then says nothing of the wheel as it stands after.
        stations = [s for s in self.stations if phase == Phase.BEFORE or not is_runout(s)]
        read = self.complete(phase, stations, self.values(phase), self.looks(phase))
        return self.with_seen(read, newest(self.journal, phase), phase)

    def with_seen(self, readings: list[Json], seen: Sighting | None, phase: Phase) -> list[Json]:
        """Readings of a phase with what pictures told."""
        return readings + as_readings(seen, phase, len(readings))

    def complete(
        self, phase: Phase, stations: Sequence[Station], values: Values, looks: dict[str, LookedAt]
    ) -> list[Json]:
        """The complete readings that values at stations make, with the ground and what is known of the clamps."""
        brought = self.grounds(phase)
        told = {(reading["axle"], reading["side"]) for reading in brought if reading["kind"] == "clamp"}
        made = session.readings(
            self.snapshot.vehicle, stations, values, phase, looks,
            earlier={wheel: clamp for wheel, clamp in self.clamp_errors.items() if wheel not in told},
            unrolled_deg=self.snapshot.rig.clamp_u_deg,
        )  # fmt: skip
        return brought + made

    @cached_property
    def tilt(self) -> dict[str, float] | None:
        """How the ground tilts by the level bar, None where it was not measured."""
        if self.journal.answer(GROUND) != TILTED:
            return None
        bar = {code: self.journal.number(bar_slot(code)) for code in BAR}
        across, along = bar["across"], bar["along"]
        if across is None or along is None:
            return None
        return ground_from_bar(across, along, bar["across-turned"], bar["along-turned"])

    def grounds(self, phase: Phase) -> list[Json]:
        """The tilt of the ground as a reading: as measured, as a job file has it, or level as far as the eye can tell."""
        if self.tilt is not None:
            return [{"phase": str(phase), "kind": "ground", **self.tilt}]
        if not self.snapshot.rig.code:
            return [ground for ground in self.snapshot.rig.grounds if ground["phase"] == phase]
        return [{"phase": str(phase), "kind": "ground", **ground_by_eye()}]

    def results(self, phase: Phase) -> PhaseResults:
        """Solved results of ``before`` or ``after``."""
        if phase not in self._results:
            self._results[phase] = self.solve(self.of_phase(phase))
        return self._results[phase]

    def solve(self, readings: list[Json]) -> PhaseResults:
        """The results of readings of one phase on this vehicle."""
        phase = readings[0]["phase"] if readings else Phase.BEFORE
        return _solved(json.dumps(self.job_file(readings)), phase, self.held_u_deg)

    @property
    def held_u_deg(self) -> float:
        """What the holding of the steering wheel leaves in doubt, at the road wheels; 0 where the kit is not of this program."""
        if not (self.snapshot.rig.code and self.snapshot.subject.steered):
            return 0.0
        return held_u_deg(self.journal.answer(LOCKED), self.snapshot.layout.steering_ratio)

    def job_file(self, readings: list[Json]) -> Json:
        """The job file of readings, with each adjuster where it was found."""
        return self.snapshot.job_file(readings, self.hardware)

    def of_stage(self, *, sweep: bool) -> list[Station]:
        """The stations of the sweep, or those that are read with the wheels straight."""
        return [s for s in self.stations if not is_runout(s) and (s.stage == "roll") == sweep]

    def missing(
        self, phase: Phase, setup: int | None = None, *, sweep: bool = False, without: frozenset[str] = frozenset()
    ) -> int:
        """How many numbers are not read yet in a phase: of the sweep, or else of the readings; of one set-up or all.

        Stations whose slots are in ``without`` are not asked for.
        """
        values: Mapping[str, Mapping[str, float]] = self.values(phase)
        return sum(
            1
            for station in self.of_stage(sweep=sweep)
            for field in station.needed
            if setup in (None, station.setup)
            and station.slot not in without
            and field not in values.get(station.slot, {})
        )
