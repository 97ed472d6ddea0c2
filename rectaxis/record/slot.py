"""Slots: the names under which a job's record keeps what was typed. They are parsed and written here, and nowhere else.

| slot | written | keeps |
|---|---|---|
| ``Scale`` | ``before/outboard_pair/2/left_mm``, a further look ``…/again-2`` | a number read at a scale |
| ``Trued`` | ``before/runout/1/left/trued`` | that a clamp's knobs were turned |
| ``Confirmed`` | ``after/outboard_pair/2/confirmed`` | that scales, looked at again, show what they showed last |
| ``OfAdjuster`` | ``found/…``, ``skip/…``, ``torque/…`` | of one adjuster: found standing at, left alone because, tightened to |
| ``Reason`` | ``gate/certificate``, ``gate/unsafe/look/part/1/springs`` | why a gate was passed |
| ``Opinion`` | ``judge/finding/beam-axle/2-left`` | what the technician says to a proposed cause |
| ``Placed`` | ``rig/place/outboard_pair/2/ahead_mm`` | where a person put a tool |
| ``Why`` | ``look/part/1/springs/why`` | the reason of an answer |
| ``Answer`` | ``arrive/odometer`` | the answer to a question, or a choice |
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from rectaxis.record.errors import RecordError

LONGEST = 120
MOST_LOOKS = 9
"""A scale looked at more often than this is not the scale's fault."""


class Phase(StrEnum):
    """When a number is read. ``AIR`` is while a wheel is lifted, when only the change of a number counts."""

    BEFORE = "before"
    SET = "set"
    AIR = "air"
    AFTER = "after"


SEALED = (Phase.BEFORE, Phase.AFTER)
"""The phases that are sealed, and that a job file has."""


class SlotError(RecordError):
    """A text that names no slot."""


@dataclass(frozen=True)
class Slot:
    """The name of a place in the record; its ``str`` is how it is stored and sent."""


@dataclass(frozen=True)
class Scale(Slot):
    """A number read: at which station, which of its fields, and which look at it."""

    phase: Phase
    place: str
    field: str
    look: int = 1

    def __str__(self) -> str:
        again = "" if self.look == 1 else f"/again-{self.look}"
        return f"{self.phase}/{self.place}/{self.field}{again}"

    @property
    def at(self) -> str:
        """The station and field, whatever the phase: ``outboard_pair/2/left_mm``."""
        return f"{self.place}/{self.field}"


@dataclass(frozen=True)
class Trued(Slot):
    """That the knobs of the clamp whose runout is read at ``place`` were turned."""

    place: str

    def __str__(self) -> str:
        return f"{Phase.BEFORE}/{self.place}/trued"


@dataclass(frozen=True)
class Confirmed(Slot):
    """That the scales of a station were looked at again after tightening, and show what they showed last while setting."""

    place: str

    def __str__(self) -> str:
        return f"{Phase.AFTER}/{self.place}/confirmed"


About = Literal["found", "skip", "torque"]


@dataclass(frozen=True)
class OfAdjuster(Slot):
    """Of one adjuster: where it was ``found`` standing, why it is left alone (``skip``), what it was tightened to."""

    about: About
    adjuster: str

    def __str__(self) -> str:
        return f"{self.about}/{self.adjuster}"


@dataclass(frozen=True)
class Reason(Slot):
    """Why a gate was passed, by the gate's code."""

    gate: str

    def __str__(self) -> str:
        return f"gate/{self.gate}"


@dataclass(frozen=True)
class Opinion(Slot):
    """What the technician says to a proposed cause, by the finding's code."""

    finding: str

    def __str__(self) -> str:
        return f"judge/finding/{self.finding}"


@dataclass(frozen=True)
class Placed(Slot):
    """Where a person put the tool of a station: one of its set-up numbers."""

    place: str
    name: str

    def __str__(self) -> str:
        return f"rig/place/{self.place}/{self.name}"


@dataclass(frozen=True)
class Answer(Slot):
    """The answer to a question, or a choice."""

    path: str

    def __str__(self) -> str:
        return self.path


@dataclass(frozen=True)
class Why(Slot):
    """The reason of an answer."""

    path: str

    def __str__(self) -> str:
        return f"{self.path}/why"


REFERENCE, SCHOOL = Answer("judge/reference"), Answer("judge/school")
AIM, LEAN, STRAIGHT = Answer("aim/for"), Answer("aim/lean"), Answer("aim/straight")
LIFT, UNREAD = Answer("lift/now"), Answer("aim/unread")
ODOMETER, COMPLAINT, ALSO = Answer("arrive/odometer"), Answer("arrive/reason"), Answer("arrive/also")
GROUND, LOCKED = Answer("rig/ground"), Answer("roll/locked")
DAMAGE, FIGURES = Answer("arrive/damage"), Answer("judge/figures")
CARRIED, CHECKED = Answer("arrive/carried"), Answer("rig/checked")
"""The slots that the program itself looks at by name. ``CARRIED`` keeps codes of what was taken over from the last visit, ``CHECKED``
when (ISO) and at which unit the kit passed the self-check that this visit goes by. ``UNREAD`` is why one goes on without reading what a move put out of date."""

_AGAIN = re.compile(r"again-([2-9])")
_PHASES = tuple(Phase)


def parse(text: str) -> Slot:
    """The slot that a text names. **Raises** SlotError for a text that cannot be one; whether the job has it is not asked."""
    parts = text.split("/")
    if not text or len(text) > LONGEST or not all(parts) or not text.isprintable():
        raise SlotError("This job has no such field; reload the page.")
    match parts:
        case [phase, *rest] if phase in _PHASES:
            return _scale(Phase(phase), rest)
        case ["found" | "skip" | "torque" as about, *rest] if rest:
            return OfAdjuster(about, "/".join(rest))
        case ["gate", *rest] if rest:
            return Reason("/".join(rest))
        case ["judge", "finding", *rest] if rest:
            return Opinion("/".join(rest))
        case ["rig", "place", *place, name] if place:
            return Placed("/".join(place), name)
        case [*path, "why"] if path:
            return Why("/".join(path))
    return Answer(text)


def _scale(phase: Phase, rest: list[str]) -> Slot:
    match rest:
        case [*place, "trued"] if place and phase == Phase.BEFORE:
            return Trued("/".join(place))
        case [*place, "confirmed"] if place and phase == Phase.AFTER:
            return Confirmed("/".join(place))
        case [*place, field, again] if place and (found := _AGAIN.fullmatch(again)):
            return Scale(phase, "/".join(place), field, int(found[1]))
        case [*place, field] if place:
            return Scale(phase, "/".join(place), field)
    raise SlotError("This job has no such field; reload the page.")


def of_damage(mark: object) -> Answer:
    """The slot of the photos of one mark on the outline, by the mark's key."""
    return Answer(f"{DAMAGE}/{mark}")
