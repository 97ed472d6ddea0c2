"""Which slots a job has, and how what is typed in one is read."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

from alignment.adjust.hardware import Hardware
from alignment.adjust.wishes import AIMS
from alignment.judge.diagnose import RULES
from alignment.procedure.checklist import YES_NO
from alignment.procedure.schools import REFERENCES, SCHOOLS
from alignment.procedure.stages import GATES
from alignment.quantities import Typed, parse_typed
from rectaxis.record import slot as slots
from rectaxis.record.errors import RecordError
from rectaxis.record.slot import Answer, OfAdjuster, Opinion, Phase, Placed, Reason, Scale, Slot, SlotError, Trued, Why
from rectaxis.record.snapshot import Snapshot, is_runout
from rectaxis.visit.decisions import KNOBS_TURNED, OPINIONS

LONGEST_NOTE = 2000
LONGEST_MM = 30_000
WIDEST_DEG = 60
"""No wheel is turned further on a turntable; the core refuses angles that no wheel can have."""
CHOICES: dict[Slot, Collection[str]] = {
    slots.REFERENCE: REFERENCES,
    slots.SCHOOL: SCHOOLS,
    slots.AIM: AIMS,
    slots.LEAN: YES_NO,
    slots.STRAIGHT: YES_NO,
}
"""Codes that a person can choose among, where the choice is no question's."""


@dataclass(frozen=True)
class Understood:
    """What was typed, as a number (None for words) and as text to show beside the field."""

    value: float | None
    text: str


EMPTIED = Understood(None, "")
T = TypeVar("T")


def _asked(ask: Callable[[], T]) -> T:
    """What the core reads. **Raises** RecordError with the core's words where it reads nothing."""
    try:
        return ask()
    except ValueError as error:
        raise RecordError(str(error)) from None


def plain_text(typed: str, most: int = LONGEST_NOTE) -> str:
    """The text without blanks around it. **Raises** RecordError for what cannot be kept as text."""
    typed = typed.strip()
    if len(typed) > most:
        raise RecordError(f"At most {most:,} characters fit here; this is {len(typed):,}.")
    if "\x00" in typed or any("\ud800" <= character <= "\udfff" for character in typed):
        raise RecordError("This text has a character that cannot be kept; type it anew.")
    return typed


class Fields:
    """The fields of one job. Asks no database."""

    def __init__(self, snapshot: Snapshot) -> None:
        self.snapshot = snapshot

    @cached_property
    def _hardware(self) -> dict[str, Hardware]:
        return {one.id: one for one in self.snapshot.hardware}

    def read(self, slot: Slot, typed: str) -> Understood:
        """Read what was typed in a slot; ``typed`` is as ``plain_text`` gives it.

        **Raises** RecordError with a sentence to show beside the field, SlotError where the job has no such field.
        """
        match slot:
            case Scale():
                return self._number(slot, typed)
            case Placed():
                return self._placed(slot, typed)
            case OfAdjuster(about="found"):
                return self._found(slot, typed)
            case Answer() if slot not in CHOICES and slot != slots.UNREAD:
                return self._answer(slot, typed)
        if not self._takes(slot, typed):
            raise SlotError("This job has no such field; reload the page.")
        return Understood(None, typed)

    def _takes(self, slot: Slot, typed: str) -> bool:
        """Whether the job has a slot that keeps words as they are, and it takes these."""
        match slot:
            case Trued(place):
                station = self.snapshot.by_slot.get(place)
                return station is not None and is_runout(station) and typed in ("", KNOBS_TURNED)
            case OfAdjuster(_, adjuster):
                return adjuster in self._hardware
            case Reason(gate):
                return self._has_gate(gate)
            case Opinion(finding):
                return finding.split("/")[0] in {rule.CODE for rule in RULES} and typed in ("", *OPINIONS)
            case Why(path):
                question = self.snapshot.question.get(path)
                return question is not None and bool(question.explained)
        return slot == slots.UNREAD or (slot in CHOICES and typed in ("", *CHOICES[slot]))

    def _has_gate(self, gate: str) -> bool:
        """Whether this job can have a gate: of a known kind, and about nothing or a part of this job."""
        kind, _, part = gate.partition("/")
        runouts = {place.removeprefix("runout/") for place in self.snapshot.by_slot}
        parts = part in self.snapshot.question or part in self._hardware or part in runouts or part.isdecimal()
        return kind in {rule.code for rule in GATES} and (not part or parts)

    def _answer(self, slot: Answer, typed: str) -> Understood:
        question = self.snapshot.question.get(slot.path)
        if question is None:
            raise SlotError("This job has no such field; reload the page.")
        if not typed:
            return EMPTIED
        return Understood(*_asked(lambda: question.read(typed)))

    def _found(self, slot: OfAdjuster, typed: str) -> Understood:
        one = self._hardware.get(slot.adjuster)
        if one is None or one.in_place is None:
            raise SlotError("This job has no such field; reload the page.")
        if not typed:
            return EMPTIED
        return Understood(None, _asked(lambda: one.standing_at(typed)).in_place or "")

    def _placed(self, slot: Placed, typed: str) -> Understood:
        station = self.snapshot.by_slot.get(slot.place)
        asked = () if station is None else station.set_up_numbers()
        number = next((one for one in asked if one.slot == f"{slot.place}/{slot.name}"), None)
        if number is None:
            raise SlotError("This job has no such field; reload the page.")
        if not typed:
            return EMPTIED
        length = number.dimension == "length"
        understood = _asked(lambda: parse_typed(typed, number.dimension, "mm" if length else "deg"))
        most, unit = (LONGEST_MM, " mm") if length else (WIDEST_DEG, "°")
        if not 0 < understood.value <= most:
            raise RecordError(f"Expected more than 0 and at most {most:,}{unit}, got {understood.understood}.")
        return Understood(understood.value, understood.understood)

    def _number(self, slot: Scale, typed: str) -> Understood:
        station = self.snapshot.by_slot.get(slot.place)
        # Runout is rolled once, and belongs to the before.
        once = station is not None and is_runout(station)
        if (
            station is None
            or slot.field not in station.fields
            or (once and (slot.phase, slot.look) != (Phase.BEFORE, 1))
        ):
            raise SlotError("This job has no such field; reload the page.")
        if not typed:
            return EMPTIED
        millimetres = station.unit == "mm"
        understood = _asked(lambda: parse_typed(typed, "length" if millimetres else "angle", station.unit))
        if not station.least <= understood.value <= station.most:
            unit = "mm" if millimetres else "°"
            raise RecordError(
                f"{understood.understood} is off the {station.scale}, which goes from {station.least:g} to "
                f"{station.most:g} {unit}. Look again, or type the unit you read."
            )
        return Understood(understood.value, _with_its_side(understood, station.sides(slot.field)))


def _with_its_side(understood: Typed, sides: tuple[str, str]) -> str:
    """A number as understood, with the side of zero as words where the scale has two: "0.45° top in"."""
    plus, minus = sides
    if not minus or understood.value == 0:
        return understood.understood
    return f"{understood.understood.lstrip('-')} {plus if understood.value > 0 else minus}"
