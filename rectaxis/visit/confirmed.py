"""Scales that are looked at again after tightening and show what they showed last: their numbers are typed once."""

from __future__ import annotations

from functools import cached_property

from alignment.procedure.station import Station
from rectaxis.record.slot import Confirmed, Phase
from rectaxis.record.snapshot import looks_at, scale
from rectaxis.visit.setting import Setting

SHOWS_THE_SAME = "same"
"""The code that is kept of a station whose scales show what they showed last."""


class Confirming:
    """What the after of a job can take over, and what it took over."""

    def __init__(self, setting: Setting) -> None:
        self.setting, self.readings, self.journal = setting, setting.readings, setting.journal

    def offered(self, setup: int, *, sweep: bool) -> list[tuple[Station, dict[str, float]]]:
        """Stations of one hanging of which nothing is typed in the after yet, with the numbers by field that hold since
        they were read last: none while a wheel is in the air, and none that a move has put out of date.
        """
        if self.setting.lifted is not None or Phase.AFTER in self.journal.seals:
            return []
        found = []
        for station in self.readings.of_stage(sweep=sweep):
            if station.setup == setup and not self._begun(station) and (values := self.setting.values(station)):
                found.append((station, values))
        return found

    def _begun(self, station: Station) -> bool:
        return any(self.journal.answer(scale(Phase.AFTER, station, field)) for field in station.fields)

    @cached_property
    def confirmed(self) -> list[Station]:
        """Stations of which the after was taken over; those of which something was typed since were read anew."""
        return [station for station in self.readings.stations if self._is_confirmed(station)]

    def _is_confirmed(self, station: Station) -> bool:
        said = self.journal.entry(Confirmed(station.slot))
        if said is None or said.typed != SHOWS_THE_SAME:
            return False
        looks = (str(slot) for field in station.fields for slot in looks_at(Phase.AFTER, station, field))
        typed = (entry for slot in looks if (entry := self.journal.entry(slot)) is not None)
        return all(entry.sequence < said.sequence for entry in typed)
