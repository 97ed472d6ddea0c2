"""How far a job is: what is open in each stage, which gates stand, and which were passed with a reason."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import cached_property

from django.utils import timezone

from alignment.model.vehicle import axle_name, the_axle
from alignment.procedure import session
from alignment.procedure.checklist import (
    FAILED,
    FELT,
    LEVEL,
    PASSED,
    RIDE,
    STRAPS,
    UNLOCKED,
    UNSAFE,
    answered,
    part_name,
    part_slot,
)
from alignment.procedure.stages import Facts, Gate, Named, all_gates, gates
from alignment.procedure.station import Station
from alignment.speech import side_name
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import GROUND, LOCKED, ODOMETER, OfAdjuster, Phase, Reason
from rectaxis.record.snapshot import is_runout
from rectaxis.visit.decisions import YES
from rectaxis.visit.moves import moved
from rectaxis.visit.readings import Readings
from rectaxis.visit.setting import Setting
from rectaxis.visit.sightings import newest


class Progress:
    """How far one job is."""

    def __init__(self, job: Job, readings: Readings, setting: Setting) -> None:
        self.job, self.readings, self.setting = job, readings, setting
        self.snapshot, self.journal = readings.snapshot, readings.journal

    @cached_property
    def facts(self) -> Facts:
        """What the gates look at, on the day of the visit: a report of last year stays as it was."""
        snapshot, answer = self.snapshot, self.journal.answer
        until, day = snapshot.rig.certified_until, timezone.localdate(self.job.planned_at)
        pressures = [q for q in snapshot.questions["look"] if q.group == "pressure" and q.needed and not answer(q.slot)]
        quick = snapshot.rig.toe_only
        unsafe = answered(snapshot.questions["look"], self.journal.answers, UNSAFE)
        loose = [
            one for one in moved(self.journal.moves, self.readings.hardware) if not answer(OfAdjuster("torque", one.id))
        ]
        return Facts(
            certificate_days=None if until is None else (until - day).days,
            pressures_open=len(pressures),
            clamps_open=tuple(self._open_clamp(s) for s in self.readings.stations if self._is_open_clamp(s)),
            locked=quick or not snapshot.subject.steered or answer(LOCKED) not in ("", UNLOCKED),
            self_check=self._self_check(),
            before_saved=Phase.BEFORE in self.journal.seals,
            unsafe=tuple(Named(q.slot, part_name(q.label)) for q in unsafe),
            rims_off=self._rims_off(),
            ground_checked=quick
            or answer(GROUND) == LEVEL
            or self.readings.tilt is not None
            or bool(snapshot.rig.grounds),
            odometer_was=self._odometer_was(),
            play_open=tuple(self._not_felt()),
            ride_open=not quick and not answer(RIDE),
            straps_open=snapshot.rig.rims_mm is not None and answer(STRAPS) != YES,
            not_tightened=tuple(Named(one.id, snapshot.name_of(one)) for one in loose),
        )

    def _not_felt(self) -> Iterator[Named]:
        """The axles of which nobody has felt the joints and bearings; a quick job does not ask."""
        if self.snapshot.rig.toe_only:
            return
        for axle in self.snapshot.vehicle.axles:
            felt = [part_slot(axle.number, code) for code in FELT]
            if any(slot in self.snapshot.question and not self.journal.answer(slot) for slot in felt):
                yield Named(str(axle.number), the_axle(self.snapshot.vehicle, axle.number))

    def _is_open_clamp(self, station: Station) -> bool:
        clamp = self.readings.clamps.get(station.slot)
        return is_runout(station) and not (clamp is not None and clamp.accepted)

    def _open_clamp(self, station: Station) -> Named:
        name = axle_name(self.snapshot.vehicle, station.reading["axle"])
        return Named(station.slot.removeprefix("runout/"), f"{side_name(station.reading['side'])} {name} wheel")

    def _self_check(self) -> str:
        """Whether the kit was seen to pass its own check: ``passed``, ``failed`` or ``open``."""
        steps = [self.journal.answer(q.slot) for q in self.snapshot.questions["rig"] if q.group == "self-check"]
        if FAILED in steps:
            return "failed"
        return "passed" if steps and all(step == PASSED for step in steps) else "open"

    def _rims_off(self) -> tuple[float, ...]:
        held = self.snapshot.rig.rims_mm
        numbers = [axle.number for axle in self.snapshot.vehicle.axles]
        sizes = [size for number in numbers if (size := self.readings.tyre_size(number)) is not None]
        rims = sorted({size.rim_mm for size in sizes})
        return () if held is None else tuple(rim for rim in rims if not held[0] <= rim <= held[1])

    def _odometer_was(self) -> float | None:
        now, was = self.journal.number(ODOMETER), self.job.odometer_was
        return was if now is not None and was is not None and now < was else None

    def gates(self, stage: str) -> list[Gate]:
        """The gates before a stage for which no reason is on the record."""
        return [gate for gate in gates(stage, self.facts) if not self.journal.answer(Reason(gate.code))]

    def reasons(self) -> list[tuple[Gate, Entry]]:
        """Gates that were passed with a reason, for the report.

        A before that was saved only after something was moved was passed, too.
        """
        return [(gate, entry) for gate, entry in self._standing() if entry is not None and entry.typed]

    def went_on_without(self) -> list[Gate]:
        """Gates that stand and that nobody gave a reason for: what was gone on without, once the job is handed over."""
        return [gate for gate, entry in self._standing() if entry is None or not entry.typed]

    def _standing(self) -> list[tuple[Gate, Entry | None]]:
        first = next((seal for seal in self.journal.all_seals if seal.phase == Phase.BEFORE), None)
        in_time = first is not None and not any(move.sequence < first.sequence for move in self.journal.moves)
        standing = all_gates(replace(self.facts, before_saved=in_time))
        return [(gate, self.journal.entry(Reason(gate.code))) for gate in standing]

    def open_count(self, stage: str) -> int:
        """How many needed things are still open in a stage."""
        left = sum(1 for q in self.snapshot.questions.get(stage, ()) if q.open(self.journal.answers))
        if stage == "roll":
            left += self._unseen(Phase.BEFORE)
            wanted = session.sweep_wanted(self.snapshot.core.rules)
            left += len(self.facts.clamps_open) + (self.readings.missing(Phase.BEFORE, sweep=True) if wanted else 0)
        if stage == "read":
            left += self.readings.missing(Phase.BEFORE) + self._unseen(Phase.BEFORE)
        if stage == "prove":
            left += self.readings.missing(Phase.AFTER, without=self.setting.not_asked) + self._unseen(Phase.AFTER)
        return left

    def _unseen(self, phase: Phase) -> int:
        """How many wheels cameras have not seen yet in a phase."""
        sighting = newest(self.journal, phase)
        told = sighting.readings if sighting is not None else ()
        seen = {(one["axle"], one["side"]) for one in told if one["kind"] == "wheel_axis"}
        return len(set(self.snapshot.rig.seen) - seen)
