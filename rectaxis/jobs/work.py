"""A job as the core sees it: what was typed becomes readings, and readings become results.

Nothing here computes an angle or decides anything of the trade; it asks ``alignment``.
"""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import replace
from functools import cached_property, lru_cache
from typing import Any, NamedTuple

from django.utils import timezone

from alignment.adjust.hardware import Hardware
from alignment.adjust.reach import adjustable_axles, reach_of
from alignment.diagnose import COMPLAINTS, WEAR, Evidence
from alignment.errors import TypedValueError
from alignment.jobfile import parse, solve_phase
from alignment.levelling import ground_from_bar
from alignment.procedure import session
from alignment.procedure.checklist import BAR, CHECKED, UNSAFE, findings, tyres
from alignment.procedure.schools import REFERENCES, SCHOOLS, School, default_reference, default_school
from alignment.procedure.stages import Facts, Gate, gates
from alignment.procedure.station import Mean, Station, mean_of
from alignment.results import PhaseResults
from alignment.runout import ClampError
from alignment.tyres import TyreSize, parse_size
from alignment.vehicle import axle_name, the_axle
from rectaxis.jobs.models import Entry, Job, Mark, Move, Photo, Seal
from rectaxis.jobs.setting import Setting, position
from rectaxis.jobs.sheet import MOST_LOOKS, Sheet, found_slot, is_runout, look_slot, torque_slot, trued_slot

Values = dict[str, dict[str, float]]


class Typed(NamedTuple):
    """What was typed in a slot, and the number it was understood as (None for words)."""

    text: str
    value: float | None


@lru_cache(maxsize=128)
def _solved(job_file: str, phase: str) -> PhaseResults:
    """The results of a job file. Pages ask for those before each move again and again; nothing changes them."""
    return solve_phase(parse(json.loads(job_file)), phase)


class Work(Sheet):
    """A job with all that was typed, turned and sealed in it. Three queries, whatever the history."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        newest = Entry.objects.filter(job=job).order_by("slot", "-id").distinct("slot").select_related("by")
        self.entries: dict[str, Entry] = {entry.slot: entry for entry in newest}
        self.moves: list[Move] = list(Move.objects.filter(job=job).select_related("by"))
        seals = Seal.objects.filter(job=job).select_related("by").order_by("revision")
        self.seals: dict[str, Seal] = {seal.phase: seal for seal in seals}
        self._results: dict[str, PhaseResults] = {}
        self._read: dict[str, dict[str, dict[str, Mean]]] = {}

    def turns(self) -> list[tuple[str, Move]]:
        """What was turned, in words, with who and when."""
        return [(self.say_move(move), move) for move in self.moves]

    @property
    def sets_caster(self) -> bool:
        """Whether an adjuster changes an angle that only a sweep tells."""
        return session.sweep_reached(path for one in self.hardware for path in one.adjuster().names)

    @property
    def moved(self) -> list[Hardware]:
        """The adjusters that were moved, in the order of their first moves."""
        by_id = {one.id: one for one in self.hardware}
        return [by_id[name] for name in dict.fromkeys(move.adjuster for move in self.moves) if name in by_id]

    def say_move(self, move: Move) -> str:
        """A move in words: "left tie rod of the rear: 3 flats clockwise"."""
        one = next((one for one in self.hardware if one.id == move.adjuster), None)
        if one is None:
            return f"{move.adjuster}: from {move.start} to {move.end}"
        how = one.how(position(one, move.start), position(one, move.end))
        again = ", taken back" if move.undoes_id else ""
        return f"{self.name_of(one)}: {how.amount} {how.way}{again}"

    def name_of(self, one: Hardware) -> str:
        """An adjuster with its axle: "left tie rod of the rear"."""
        return f"{one.title} of {the_axle(self.core.vehicle, one.axle)}"

    def answer(self, slot: str) -> str:
        """What was last typed in a slot; empty where nothing was."""
        entry = self.entries.get(slot)
        return entry.typed if entry else ""

    @cached_property
    def current(self) -> dict[str, Typed]:
        """What counts in each slot: the newest typed, blank where the clamp's knobs were turned since."""
        found = {slot: Typed(entry.typed, entry.value) for slot, entry in self.entries.items()}
        for station in self.stations:
            trued = self.entries.get(trued_slot(station))
            for field in station.fields if trued is not None else ():
                slot = f"before/{station.slot}/{field}"
                if slot in found and self.entries[slot].id < trued.id:
                    found[slot] = Typed("", None)
        return found

    @cached_property
    def answers(self) -> dict[str, str]:
        """What was last typed in each slot, as text."""
        return {slot: entry.typed for slot, entry in self.entries.items()}

    @cached_property
    def stations(self) -> tuple[Station, ...]:
        """The stations as the person placed the tools."""
        at = "rig/place/"
        numbers = {
            s.removeprefix(at): e.value for s, e in self.entries.items() if s.startswith(at) and e.value is not None
        }
        return tuple(station.placed(self._by_tyre(station) | numbers) for station in self.hung)

    def _by_tyre(self, station: Station) -> dict[str, float]:
        """The diameter that tyre marks lie on, where the axle's tyre size is known and a tape's station asks for it."""
        if "diameter_mm" not in station.asked:
            return {}
        size = self.tyre_size(station.reading["axle"])
        return {} if size is None else {f"{station.slot}/diameter_mm": size.diameter_mm}

    def mean(self, phase: str, station: Station, field: str) -> Mean | None:
        """What all looks at one scale of a phase come to, None while it was not read."""
        slots = (look_slot(phase, station, field, number) for number in range(1, MOST_LOOKS + 1))
        looks = [typed.value for slot in slots if (typed := self.current.get(slot)) and typed.value is not None]
        return mean_of(looks, station.reading_u()) if looks else None

    def means(self, phase: str) -> dict[str, dict[str, Mean]]:
        """What was read in a phase, by station and field. Runout is rolled once and belongs to ``before``."""
        if phase not in self._read:
            found: dict[str, dict[str, Mean]] = {}
            for station in self.stations:
                source = "before" if is_runout(station) else phase
                for field in station.fields:
                    mean = self.mean(source, station, field)
                    if mean is not None:
                        found.setdefault(station.slot, {})[field] = mean
            self._read[phase] = found
        return self._read[phase]

    def values(self, phase: str) -> Values:
        """Numbers read in a phase, by station and field."""
        return {slot: {f: mean.value for f, mean in fields.items()} for slot, fields in self.means(phase).items()}

    def looks(self, phase: str) -> dict[str, int]:
        """How often each station was read in a phase, by its slot: as often as the least read of its scales."""
        return {slot: min(m.count for m in fields.values()) for slot, fields in self.means(phase).items()}

    @cached_property
    def clamps(self) -> dict[str, ClampError]:
        """The state of each clamp, by the slot of its runout station."""
        limit = self.job.rig.get("runout_limit_deg", 0.0)
        return session.clamps(self.core.vehicle, self.stations, self.values("before"), limit)

    @property
    def accepted(self) -> list[str]:
        """Slots of the runouts whose clamps are accepted."""
        return [slot for slot, clamp in self.clamps.items() if clamp.accepted]

    def readings(self, phase: str) -> list[dict[str, Any]]:
        """The complete readings of ``before`` or ``after``; of a sealed phase as they were sealed."""
        if phase in self.seals:
            return list(self.seals[phase].job_file["readings"])
        return self.read_now(phase)

    def read_now(self, phase: str) -> list[dict[str, Any]]:
        """The complete readings of a phase from what is typed now, sealed or not."""
        # The clamps were judged before; what was rolled then says nothing of the wheel as it stands after.
        stations = [s for s in self.stations if phase == "before" or not is_runout(s)]
        made = session.readings(stations, self.values(phase), phase, self.accepted, self.looks(phase))
        return self.grounds(phase) + made

    def grounds(self, phase: str) -> list[dict[str, Any]]:
        """The tilt of the ground as a reading, where it was measured."""
        if self.answer("rig/ground") == "tilt measured":
            bar = {code: self.entries[slot].value for code in BAR if (slot := f"rig/bar/{code}") in self.entries}
            if bar.get("across") is not None and bar.get("along") is not None:
                tilt = ground_from_bar(bar["across"], bar["along"], bar.get("across-turned"), bar.get("along-turned"))
                return [{"phase": phase, "kind": "ground", **tilt}]
        return [ground for ground in self.job.rig.get("grounds", []) if ground["phase"] == phase]

    def results(self, phase: str) -> PhaseResults:
        """Solved results of ``before``, ``after``, or ``set``: the state as it is being adjusted."""
        if phase not in self._results:
            self._results[phase] = (
                self.setting.results() if phase in ("set", "air") else self.solve_readings(self.readings(phase))
            )
        return self._results[phase]

    def solve_readings(self, readings: list[dict[str, Any]]) -> PhaseResults:
        """The results of readings of one phase on this vehicle."""
        return _solved(json.dumps(self.job_file(readings)), readings[0]["phase"] if readings else "before")

    @cached_property
    def hardware(self) -> tuple[Hardware, ...]:
        """What adjusts on the vehicle, each standing where it was found."""
        typed = {one.id: self.answer(found_slot(one.id)) for one in self.listed}
        return tuple(one.standing_at(typed[one.id]) if typed[one.id] else one for one in self.listed)

    @cached_property
    def setting(self) -> Setting:
        """The adjusting: what was moved, and what to move next."""
        return Setting(self)

    @property
    def reference(self) -> str:
        """What the front is set to: the technician's choice, else the usual one."""
        chosen = self.answer("judge/reference")
        return chosen if chosen in REFERENCES else default_reference(self.core.vehicle, adjustable_axles(self.hardware))

    @property
    def school(self) -> School:
        """The order in which axles are set: the technician's choice, else the usual one."""
        return SCHOOLS.get(self.answer("judge/school")) or default_school(self.core.vehicle, self.core.datum)

    def evidence(self, results: PhaseResults) -> Evidence:
        """What is known of the vehicle besides its angles: the complaint and how its tyres wear."""
        wear = {}
        for at, _, axle, side in tyres(self.core.vehicle, self.subject.duals):
            pattern = self.answer(f"look/tyre/{at}/wear")
            if pattern in WEAR:
                wear.setdefault((axle.number, side), pattern)
        return Evidence(
            results,
            frozenset({self.answer("arrive/reason")} & set(COMPLAINTS)),
            wear,
            reach_of(self.core.vehicle, self.hardware),
        )

    @cached_property
    def photos(self) -> dict[str, list[Photo]]:
        """The photos in sight, by the slot that they belong to."""
        found: dict[str, list[Photo]] = {}
        for photo in Photo.objects.filter(job=self.job, removed=False).select_related("by"):
            found.setdefault(photo.slot, []).append(photo)
        return found

    @cached_property
    def marks(self) -> list[Mark]:
        """Damage marked on the outline."""
        return list(Mark.objects.filter(job=self.job, removed=False).select_related("by"))

    @staticmethod
    def is_of(station: Station, data: Any) -> bool:
        """Whether a reading was taken at a station."""
        return all(data.get(key) == value for key, value in station.reading.items() if key != "positions")

    def facts(self) -> Facts:
        """What the gates look at, on the day of the visit: a report of last year stays as it was."""
        vehicle = self.core.vehicle
        until = self.job.rig.get("certified_until")
        day = timezone.localdate(self.job.planned_at)
        pressures = [q for q in self.questions["look"] if q.group == "pressure" and not self.answer(q.slot)]
        open_clamps = [
            f"{s.reading['side']} {axle_name(vehicle, s.reading['axle'])} wheel"
            for s in self.stations
            if is_runout(s) and not (s.slot in self.clamps and self.clamps[s.slot].accepted)
        ]
        return Facts(
            certificate_days=None if until is None else (dt.date.fromisoformat(until) - day).days,
            pressures_open=len(pressures),
            clamps_open=tuple(open_clamps),
            locked=not self.subject.steered or self.answer("roll/locked") not in ("", "no"),
            self_check=self._self_check(),
            before_saved="before" in self.seals,
            unsafe=tuple(q.label for q in findings(self.questions["look"], self.answers, UNSAFE)),
            rims_off=self._rims_off(),
            ground_checked=self.answer("rig/ground") == "level" or bool(self.grounds("before")),
            odometer_was=self._odometer_was(),
            not_tightened=tuple(self.name_of(one) for one in self.moved if not self.answer(torque_slot(one.id))),
        )

    def _self_check(self) -> str:
        """Whether the kit was seen to pass its own check: ``passed``, ``failed`` or ``open``."""
        steps = [self.answer(q.slot) for q in self.questions["rig"] if q.group == "self-check"]
        passed, failed, _ = CHECKED
        if failed in steps:
            return "failed"
        return "passed" if steps and all(step == passed for step in steps) else "open"

    def _rims_off(self) -> tuple[float, ...]:
        held = self.job.rig.get("rims_mm")
        sizes = [size for axle in self.core.vehicle.axles if (size := self.tyre_size(axle.number)) is not None]
        rims = sorted({size.rim_mm for size in sizes})
        return () if held is None else tuple(rim for rim in rims if not held[0] <= rim <= held[1])

    def tyre_size(self, axle: int) -> TyreSize | None:
        """The size typed for an axle's tyres, None while none is."""
        try:
            return parse_size(self.answer(f"look/size/{axle}"))
        except TypedValueError:
            return None

    def _odometer_was(self) -> float | None:
        entry, was = self.entries.get("arrive/odometer"), self.job.odometer_was
        backward = entry is not None and entry.value is not None and was is not None and entry.value < was
        return was if backward else None

    def gates(self, stage: str) -> list[Gate]:
        """The gates before a stage for which no reason is on the record."""
        return [gate for gate in gates(stage, self.facts()) if not self.answer(gate.slot)]

    def reasons(self) -> list[tuple[Gate, Entry]]:
        """Gates that were passed with a reason, for the report.

        A before that was saved only after something was turned was passed, too.
        """
        seal = self.seals.get("before")
        in_time = seal is not None and not any(move.id < seal.id for move in self.moves)
        facts = replace(self.facts(), before_saved=in_time)
        standing = [gate for stage in ("read", "set", "prove") for gate in gates(stage, facts)]
        return [(gate, self.entries[gate.slot]) for gate in standing if self.answer(gate.slot)]

    def open_count(self, stage: str) -> int:
        """How many needed things are still open in a stage."""
        left = sum(1 for q in self.questions.get(stage, ()) if q.open(self.answers))
        if stage == "roll":
            left += len(self.facts().clamps_open) + (self.missing("before", sweep=True) if self._sweep_wanted else 0)
        if stage in ("read", "prove"):
            left += self.missing("before" if stage == "read" else "after")
        return left

    @property
    def _sweep_wanted(self) -> bool:
        return session.sweep_wanted(self.core.rules)

    def missing(self, phase: str, setup: int | None = None, *, sweep: bool = False) -> int:
        """How many numbers are not read yet in a phase: of the sweep, or else of the readings; of one set-up or all."""
        values = self.values(phase)
        return sum(
            1
            for station in self.of_stage(sweep=sweep)
            for field in station.needed
            if setup in (None, station.setup) and field not in values.get(station.slot, {})
        )

    def of_stage(self, *, sweep: bool) -> list[Station]:
        """The stations of the sweep, or those that are read with the wheels straight."""
        return [s for s in self.stations if not is_runout(s) and (s.stage == "roll") == sweep]
