"""Doing a job as a person would, from typed fields to sealed phases: for the demo and for tests."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from uuid6 import uuid7

from alignment.procedure.checklist import Question, bar_slot
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase, Scale, Trued, parse
from rectaxis.record.snapshot import is_runout, scale
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.save_entries import save_entries
from rectaxis.visit.actions.take_shot import see_simulated
from rectaxis.visit.decisions import KNOBS_TURNED
from rectaxis.visit.visit import Visit

_ANSWERS = {
    "arrive/odometer": "82410", "arrive/reason": "wheel-off-centre", "arrive/asked-by": "Edda Quill",
    "rig/ground": "tilted", "roll/locked": "level",
}  # fmt: skip
_BAR_ERROR = 0.03
"""What the demo's level bar errs by; turned end for end it goes out. Invented."""
_PRESSURE = {"car": "2.4", "van": "3.1", "truck": "8.2", "bus": "8.0", "trailer": "8.5"}
_TREAD = {"outer": "5.1", "middle": "5.8", "inner": "4.6"}


def type_in(person: User, job: Job, typed: dict[str, str]) -> None:
    """Save fields as a browser would. **Raises** ValueError for a field that is refused."""
    items: list[dict[str, Any]] = [{"id": str(uuid7()), "slot": slot, "typed": text} for slot, text in typed.items()]
    for start in range(0, len(items), 100):
        for saved in save_entries(person, job, items[start : start + 100]):
            if saved.status != "saved":
                raise ValueError(f"{saved.slot}: {saved.text}")


def slots_of(job: Job, phase: str, *, axles: Iterable[int] | None = None) -> list[str]:
    """The slots that a person reads in a phase (or of the ``roll``, or of the ``sweep``), of the axles named or of all."""
    wanted = set(axles) if axles is not None else None
    found = []
    for station in Visit(job).readings.stations:
        kind = "roll" if is_runout(station) else "sweep" if station.stage == "roll" else "read"
        if kind != (phase if phase in ("roll", "sweep") else "read"):
            continue
        if wanted is not None and station.reading["axle"] not in wanted:
            continue
        source = Phase.BEFORE if phase in ("roll", "sweep") else Phase(phase)
        found += [str(scale(source, station, field)) for field in station.fields]
    return found


def read_all(person: User, job: Job, phase: str, *, axles: Iterable[int] | None = None) -> None:
    """Read a phase's simulated scales and type what they show; with cameras, see what they see."""
    if Visit(job).snapshot.rig.seen and phase != "sweep":
        see_simulated(person, job, Phase(phase))
        return
    type_in(person, job, look_at_scales(person, job, slots_of(job, phase, axles=axles)))


def careful_answer(question: Question, group: str) -> str:
    """What an ordinary, careful person would answer."""
    if question.slot in _ANSWERS:
        given = _ANSWERS[question.slot]
        return given if question.what != "choice" or given in question.choices else next(iter(question.choices))
    if question.group == "pressure":
        return _PRESSURE[group]
    if question.group == "tread":
        return _TREAD[question.slot.rsplit("-", 1)[-1]]
    return next(iter(question.choices)) if question.choices else "1"


def level_bar(job: Job) -> dict[str, str]:
    """What a level bar shows on the simulated yard: across and along, and each again turned end for end."""
    truth = (job.simulation or {}).get("truth", {})
    found = {}
    for code, name in (("across", "roll"), ("along", "pitch")):
        tilt = float(truth.get(f"ground/{name}_deg", 0.0))
        found[bar_slot(code)] = f"{tilt + _BAR_ERROR:.2f}"
        found[bar_slot(f"{code}-turned")] = f"{_BAR_ERROR - tilt:.2f}"
    return found


def look_over(person: User, job: Job) -> None:
    """Answer everything up to the readings, true the clamps, and sweep where the kit does."""
    visit = Visit(job)
    asked = [q for stage in ("arrive", "look", "rig", "roll") for q in visit.snapshot.questions[stage] if q.needed]
    group = visit.snapshot.subject.group
    named = {"arrive/asked-by": _ANSWERS["arrive/asked-by"], **level_bar(job)}
    type_in(person, job, named | {q.slot: careful_answer(q, group) for q in asked})
    if not any(is_runout(station) for station in visit.readings.stations):
        read_all(person, job, "sweep")
        return
    read_all(person, job, "roll")
    type_in(person, job, {str(Trued(s.slot)): KNOBS_TURNED for s in Visit(job).readings.stations if is_runout(s)})
    read_all(person, job, "roll")
    read_all(person, job, "sweep")


def set_all(person: User, job: Job, most: int = 30) -> None:
    """Move what is advised, one after the other, and read what the move put out of date, until nothing is left to move."""
    for _ in range(most):
        setting = Visit(job).setting
        step = setting.in_hand()
        if step is None:
            return
        gradual = step.hardware.adjuster().choices is None
        by = f"{float(step.to) - float(step.start):g}" if gradual else ""
        record_move(person, job, uuid7(), step.hardware.id, by=by, to="" if gradual else str(step.to))
        job.refresh_from_db()
        if Visit(job).setting.unseen:
            see_simulated(person, job, Phase.SET)
            continue
        held = Visit(job).setting.held()
        slots = [slot for text in slots_of(job, "set") if isinstance(slot := parse(text), Scale)]
        unread = [str(slot) for slot in slots if slot.place not in held]
        type_in(person, job, look_at_scales(person, job, unread))
