"""The numbers that were read, by the names of their scales and as they were understood: a report's annex."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from alignment.procedure.walk import Stop, say_stop, stops
from rectaxis.record.errors import RecordError
from rectaxis.record.seal import ReadOff
from rectaxis.record.slot import SEALED, Scale, SlotError, parse
from rectaxis.record.snapshot import is_runout
from rectaxis.visit.fields import Fields
from rectaxis.visit.visit import Visit


class Scales:
    """What the scales of a visit are called."""

    def __init__(self, visit: Visit) -> None:
        self._visit = visit

    @cached_property
    def in_order(self) -> dict[tuple[str, str], Stop]:
        """The stops of all set-ups as they are walked, by place and field."""
        vehicle, stations = self._visit.snapshot.vehicle, self._visit.readings.stations
        return {
            (stop.station.slot, stop.field): stop
            for number in sorted({station.setup for station in stations})
            for stage in ("roll", "read")
            for stop in stops(vehicle, stations, number, stage)
        }

    def name(self, place: str, field: str) -> str:
        """What one scale is called, as on the walk."""
        stop = self.in_order.get((place, field))
        if stop is None:
            return f"{place.replace('/', ' ')} {field.replace('_', ' ')}"
        rolled = f", rolled {field.rsplit('_', 1)[-1]}°" if is_runout(stop.station) else ""
        return say_stop(self._visit.snapshot.vehicle, stop) + rolled


def read_off(visit: Visit) -> Iterator[ReadOff]:
    """Every number of the before and the after that counts, in the order of the walk, a scale's further looks after its first."""
    scales, fields = Scales(visit), Fields(visit.snapshot)
    order = {at: rank for rank, at in enumerate(scales.in_order)}
    found = []
    for text, typed in visit.readings.current.items():
        slot = _scale(text)
        if slot is None or slot.phase not in SEALED or typed.value is None:
            continue
        taken = (visit.journal.entries[text].taken or {}).get("serial", "")
        again = f", look {slot.look}" if slot.look > 1 else ""
        rank = SEALED.index(slot.phase), order.get((slot.place, slot.field), len(order)), slot.look
        line = ReadOff(slot.phase, scales.name(slot.place, slot.field) + again, _said(fields, slot, typed.text), taken)
        found.append((rank, line))
    return (line for _, line in sorted(found, key=lambda one: one[0]))


def _scale(text: str) -> Scale | None:
    try:
        slot = parse(text)
    except SlotError:
        return None
    return slot if isinstance(slot, Scale) else None


def _said(fields: Fields, slot: Scale, typed: str) -> str:
    try:
        return fields.read(slot, typed).text
    except RecordError:  # what was read with another kit stays as it was typed
        return typed
