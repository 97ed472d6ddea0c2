"""Which slots a job has, and how what is typed in one is read."""

from __future__ import annotations

from dataclasses import dataclass

from alignment.quantities import parse_typed
from rectaxis.jobs.models import Job
from rectaxis.jobs.work import Sheet, trued_slot

READ_PHASES = ("before", "set", "after")
LONGEST_NOTE = 2000
KNOBS_TURNED = "knobs turned"


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
        self._trued = {trued_slot(station) for station in sheet.stations if station.stage == "roll"}
        self._stations = {
            f"{phase}/{station.slot}/{field}": station
            for station in sheet.stations
            for phase in (("before",) if station.stage == "roll" else READ_PHASES)
            for field in station.fields
        }

    def read(self, slot: str, typed: str) -> Understood:
        """Read what was typed in a slot. **Raises** ValueError with a sentence to show beside the field."""
        if len(typed) > LONGEST_NOTE:
            raise ValueError(f"At most {LONGEST_NOTE:,} characters fit here; this is {len(typed):,}.")
        if "\x00" in typed:
            raise ValueError("This text has a character that cannot be kept; type it anew.")
        if slot.startswith("gate/"):
            return Understood(None, typed)
        if slot in self._questions:
            value, text = self._questions[slot].read(typed) if typed else (None, "")
            return Understood(value, text)
        if slot in self._trued and typed in ("", KNOBS_TURNED):
            return Understood(None, typed)
        station = self._stations.get(slot)
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
        return Understood(understood.value, understood.understood)

    @staticmethod
    def phase_of(slot: str) -> str | None:
        """The phase that a slot's number belongs to, None for answers."""
        phase = slot.split("/", 1)[0]
        return phase if phase in READ_PHASES else None
