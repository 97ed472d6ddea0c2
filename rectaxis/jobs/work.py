"""A job as the core sees it: what was typed becomes readings, and readings become results.

Nothing here computes an angle or decides anything of the trade; it asks ``alignment``.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any, NamedTuple

from django.utils import timezone

from alignment.adjust.advice import AxleAdvice, advise, working_order
from alignment.adjust.rods import TieRod
from alignment.adjust.see import WheelTurn
from alignment.jobfile import FORMAT, VERSION, parse, solve_phase
from alignment.jobfile import Job as CoreJob
from alignment.procedure import session
from alignment.procedure.checklist import Question, questions
from alignment.procedure.stages import Facts, Gate, gates
from alignment.procedure.station import Setup, Station
from alignment.results import PhaseResults
from alignment.runout import ClampError
from alignment.sayback import say_turn
from alignment.vehicle import axle_name
from rectaxis.jobs.models import Entry, Job, Move, Seal

Values = dict[str, dict[str, float]]


class Typed(NamedTuple):
    """What was typed in a slot, and the number it was understood as (None for words)."""

    text: str
    value: float | None


def trued_slot(station: Station) -> str:
    """The slot that says that a clamp's knobs were turned, so that its runout is to be read again."""
    return f"before/{station.slot}/trued"


class Sheet:
    """What a job holds of its own: vehicle, figures, kit and questions as they were copied. Asks no database."""

    def __init__(self, job: Job) -> None:
        self.job = job

    @cached_property
    def core(self) -> CoreJob:
        """Vehicle, datum and specification, without readings."""
        return parse(self.job_file([]))

    @cached_property
    def stations(self) -> tuple[Station, ...]:
        return tuple(Station.from_dict(station) for station in self.job.rig["stations"])

    @cached_property
    def setups(self) -> tuple[Setup, ...]:
        return tuple(Setup(**{**setup, "hang": tuple(setup["hang"])}) for setup in self.job.rig["setups"])

    @cached_property
    def rods(self) -> tuple[TieRod, ...]:
        return tuple(TieRod.from_dict(rod) for rod in self.job.layout.get("rods", []))

    @cached_property
    def questions(self) -> dict[str, tuple[Question, ...]]:
        return questions(self.core.vehicle)

    @property
    def steering_ratio(self) -> float | None:
        return self.job.layout.get("steering_ratio")

    def job_file(self, readings: Sequence[dict[str, Any]]) -> dict[str, Any]:
        """The job file of the given readings."""
        document = {"format": FORMAT, "version": VERSION, "vehicle": self.job.layout["vehicle"]}
        if "datum" in self.job.layout:
            document["datum"] = self.job.layout["datum"]
        adjusters = [TieRod.from_dict(rod).as_adjuster() for rod in self.job.layout.get("rods", [])]
        return document | {
            "readings": list(readings),
            "spec": self.job.specification["rows"],
            "adjusters": adjusters,
        }


class Work(Sheet):
    """A job with all that was typed, turned and sealed in it. Three queries, whatever the history."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        newest = Entry.objects.filter(job=job).order_by("slot", "-id").distinct("slot").select_related("by")
        self.entries: dict[str, Entry] = {entry.slot: entry for entry in newest}
        self.moves: list[Move] = list(Move.objects.filter(job=job).select_related("by"))
        self.seals: dict[str, Seal] = {seal.phase: seal for seal in Seal.objects.filter(job=job).select_related("by")}
        self._results: dict[str, PhaseResults] = {}
        self._advised: dict[int, PhaseResults] = {}

    def turns(self) -> list[tuple[str, Move]]:
        """What was turned, in words, with who and when."""
        return [(say_turn(self.core.vehicle, m.axle, m.side, m.flats), m) for m in self.moves]

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

    def values(self, phase: str) -> Values:
        """Numbers read in a phase, by station and field. Runout is rolled once and belongs to ``before``."""
        found: Values = {}
        for station in self.stations:
            source = "before" if station.stage == "roll" else phase
            for field in station.fields:
                typed = self.current.get(f"{source}/{station.slot}/{field}")
                if typed is not None and typed.value is not None:
                    found.setdefault(station.slot, {})[field] = typed.value
        return found

    @cached_property
    def clamps(self) -> dict[str, ClampError]:
        """The state of each clamp, by the slot of its runout station."""
        limit = self.job.rig.get("runout_limit_deg", 0.0)
        return session.clamps(self.core.vehicle, self.stations, self.values("before"), limit)

    @property
    def _accepted(self) -> list[str]:
        return [slot for slot, clamp in self.clamps.items() if clamp.accepted]

    def readings(self, phase: str) -> list[dict[str, Any]]:
        """The complete readings of ``before`` or ``after``."""
        values = self.values(phase)
        if phase == "after":
            # The clamps were judged before; what was rolled then says nothing of the wheel as it stands now.
            stations = [station for station in self.stations if station.stage != "roll"]
            values = {slot: fields for slot, fields in values.items() if not slot.startswith("runout/")}
        else:
            stations = list(self.stations)
        return self._grounds(phase) + session.readings(stations, values, phase, self._accepted)

    def _grounds(self, phase: str) -> list[dict[str, Any]]:
        return [ground for ground in self.job.rig.get("grounds", []) if ground["phase"] == phase]

    def results(self, phase: str) -> PhaseResults:
        """Solved results of ``before``, ``after``, or ``set``: the state as it is being adjusted."""
        if phase not in self._results:
            readings = self._working_readings(None) if phase == "set" else self.readings(phase)
            self._results[phase] = self._solve_readings(readings)
        return self._results[phase]

    def _solve_readings(self, readings: list[dict[str, Any]]) -> PhaseResults:
        core = parse(self.job_file(readings))
        return solve_phase(core, readings[0]["phase"] if readings else "before")

    def _working_values(self, station: Station, until: Move | None) -> dict[str, float]:
        """The newest numbers of a station over before and set that no later move has put out of date."""
        moves = [move for move in self.moves if until is None or move.id < until.id]
        found: dict[str, float] = {}
        oldest = None
        for field in station.fields:
            typed = [
                entry
                for phase in ("before", "set")
                if (entry := self.entries.get(f"{phase}/{station.slot}/{field}")) is not None
                and entry.value is not None
                and (until is None or entry.id < until.id)
            ]
            if not typed:
                return {}
            entry = max(typed, key=lambda entry: entry.id)
            found[field] = entry.value
            oldest = entry.id if oldest is None else min(oldest, entry.id)
        moved = {move.axle for move in moves if oldest is not None and move.id > oldest}
        valid = session.still_valid(self.core.vehicle, self.core.datum, station, found, moved)
        return found if valid else {}

    def _working_readings(self, until: Move | None) -> list[dict[str, Any]]:
        # Runout says what the clamps and the cambers are, which no turn of a rod changes.
        rolled = {slot: fields for slot, fields in self.values("before").items() if slot in self.clamps}
        read = {s.slot: self._working_values(s, until) for s in self.stations if s.stage == "read"}
        return self._grounds("before") + session.readings(self.stations, rolled | read, "before", self._accepted)

    def working_values(self) -> Values:
        """Numbers that hold now, while adjusting, by station and field."""
        stations = [station for station in self.stations if station.stage == "read"]
        return {station.slot: values for station in stations if (values := self._working_values(station, None))}

    def set_order(self) -> list[int]:
        """Axles that can be set, in working order."""
        return working_order(self.core.vehicle, self.rods)

    def advice(self, axle: int) -> AxleAdvice | None:
        """What to turn on an axle now: from the newest full reading, and what was turned since."""
        turned: list[WheelTurn] = []
        for until in (None, *reversed([move for move in self.moves if move.axle == axle])):
            if until is not None:
                turned.insert(0, WheelTurn(until.axle, until.side, until.change_deg))
            results = self.results("set") if until is None else self._solve_readings(self._working_readings(until))
            advice = advise(results, self.core.rules, self.rods, axle, turned)
            if advice is not None:
                self._advised[axle] = results
                return advice
        return None

    def targets(self, advice: AxleAdvice) -> dict[str, float]:
        """What each scale must show, by the slot of the number."""
        found = {}
        for index, numbers in advice.shows.items():
            data = self._advised[advice.axle].solution.readings[index].data
            station = next((s for s in self.stations if self.is_of(s, data)), None)
            if station is not None:
                found |= {f"{station.slot}/{field}": value for field, value in numbers.items()}
        return found

    @staticmethod
    def is_of(station: Station, data: Any) -> bool:
        """Whether a reading was taken at a station."""
        return all(data.get(key) == value for key, value in station.reading.items() if key != "positions")

    def facts(self) -> Facts:
        """What the gates look at, on the day of the visit: a report of last year stays as it was."""
        vehicle = self.core.vehicle
        until = self.job.rig.get("certified_until")
        day = timezone.localdate(self.job.planned_at)
        days = None if until is None else (dt.date.fromisoformat(until) - day).days
        pressures = [q for q in self.questions["look"] if q.group == "pressure" and not self.answer(q.slot)]
        open_clamps = [
            f"{s.reading['side']} {axle_name(vehicle, s.reading['axle'])} wheel"
            for s in self.stations
            if s.stage == "roll" and not (s.slot in self.clamps and self.clamps[s.slot].accepted)
        ]
        return Facts(
            certificate_days=days,
            pressures_open=len(pressures),
            clamps_open=tuple(open_clamps),
            locked=self.answer("roll/locked"),
            self_check=self.answer("rig/self-check"),
            before_saved="before" in self.seals,
        )

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
        standing = [gate for stage in ("read", "set") for gate in gates(stage, facts)]
        return [(gate, self.entries[gate.slot]) for gate in standing if self.answer(gate.slot)]

    def open_count(self, stage: str) -> int:
        """How many needed things are still open in a stage."""
        left = sum(1 for q in self.questions.get(stage, ()) if q.needed and not self.answer(q.slot))
        if stage == "roll":
            left += len(self.facts().clamps_open)
        if stage in ("read", "prove"):
            phase = "before" if stage == "read" else "after"
            left += _missing(self.stations, self.values(phase))
        return left


def _missing(stations: Iterable[Station], values: Values) -> int:
    wanted = [(s.slot, field) for s in stations if s.stage == "read" for field in s.fields]
    return sum(1 for slot, field in wanted if field not in values.get(slot, {}))
