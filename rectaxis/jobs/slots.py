"""Which slots a job has, and how what is typed in one is read."""

from __future__ import annotations

from dataclasses import dataclass

from alignment.quantities import Typed, parse_typed
from rectaxis.jobs.models import Job
from rectaxis.jobs.sheet import (
    MOST_LOOKS,
    Sheet,
    found_slot,
    is_runout,
    look_slot,
    skip_slot,
    torque_slot,
    trued_slot,
)

READ_PHASES = ("before", "set", "air", "after")
"""Where numbers are read: ``air`` while a wheel is lifted, when only their change counts."""
LONGEST_NOTE = 2000
KNOBS_TURNED = "knobs turned"
LONGEST_MM = 30_000
WIDEST_DEG = 60
"""No wheel is turned further on a turntable; the core refuses angles that no wheel can have."""
FREE = ("gate/", "judge/", "aim/")
"""Slots whose words nothing computes with beyond choosing: reasons for going on, and what the technician decided."""


@dataclass(frozen=True)
class Understood:
    """What was typed, as a number (None for words) and as text to show beside the field."""

    value: float | None
    text: str


class Slots:
    """The slots of one job. Asks no database."""

    def __init__(self, job: Job) -> None:
        sheet = Sheet(job)
        self._questions = {q.slot: q for stage in sheet.questions.values() for q in stage}
        self._whys = {q.why for q in self._questions.values() if q.explained}
        self._trued = {trued_slot(station) for station in sheet.hung if is_runout(station)}
        self._of_moves = {slot(one.id) for one in sheet.hardware for slot in (skip_slot, torque_slot)}
        self._found = {found_slot(one.id): one for one in sheet.hardware if one.in_place is not None}
        self._places = {f"rig/place/{number.slot}": number for s in sheet.hung for number in s.set_up_numbers()}
        self._stations = {
            look_slot(phase, station, field, look): (station, field)
            for station in sheet.hung
            for phase in (("before",) if is_runout(station) else READ_PHASES)
            for field in station.fields
            for look in range(1, 2 if is_runout(station) else MOST_LOOKS + 1)
        }

    def read(self, slot: str, typed: str) -> Understood:
        """Read what was typed in a slot. **Raises** ValueError with a sentence to show beside the field."""
        if len(typed) > LONGEST_NOTE:
            raise ValueError(f"At most {LONGEST_NOTE:,} characters fit here; this is {len(typed):,}.")
        if "\x00" in typed:
            raise ValueError("This text has a character that cannot be kept; type it anew.")
        if slot.startswith(FREE):
            return Understood(None, typed)
        if slot in self._questions:
            value, text = self._questions[slot].read(typed) if typed else (None, "")
            return Understood(value, text)
        if slot in self._whys or slot in self._of_moves or (slot in self._trued and typed in ("", KNOBS_TURNED)):
            return Understood(None, typed)
        if slot in self._found:
            return Understood(None, (self._found[slot].standing_at(typed).in_place or "") if typed else "")
        if slot in self._places:
            return self._placed(slot, typed)
        return self._number(slot, typed)

    def _placed(self, slot: str, typed: str) -> Understood:
        number = self._places[slot]
        if not typed:
            return Understood(None, "")
        understood = parse_typed(typed, number.dimension, "mm" if number.dimension == "length" else "deg")
        most, unit = (LONGEST_MM, " mm") if number.dimension == "length" else (WIDEST_DEG, "°")
        if not 0 < understood.value <= most:
            raise ValueError(f"Expected more than 0 and at most {most:,}{unit}, got {understood.understood}.")
        return Understood(understood.value, understood.understood)

    def _number(self, slot: str, typed: str) -> Understood:
        station, field = self._stations.get(slot, (None, ""))
        if station is None:
            raise ValueError("This job has no such field; reload the page.")
        if not typed:
            return Understood(None, "")
        understood = parse_typed(typed, "length" if station.unit == "mm" else "angle", station.unit)
        if not station.least <= understood.value <= station.most:
            unit = "mm" if station.unit == "mm" else "°"
            raise ValueError(
                f"{understood.understood} is off the {station.scale}, which goes from {station.least:g} to "
                f"{station.most:g} {unit}. Look again, or type the unit you read."
            )
        return Understood(understood.value, _with_its_side(understood, station.sides(field)))

    @staticmethod
    def phase_of(slot: str) -> str | None:
        """The phase that a slot's number belongs to, None for answers."""
        phase = slot.split("/", 1)[0]
        return phase if phase in READ_PHASES else None


def _with_its_side(understood: Typed, sides: tuple[str, str]) -> str:
    """A number as understood, with the side of zero as words where the scale has two: "0.45° top in"."""
    plus, minus = sides
    if not minus or understood.value == 0:
        return understood.understood
    return f"{understood.understood.lstrip('-')} {plus if understood.value > 0 else minus}"
