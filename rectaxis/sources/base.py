"""What a source of numbers is."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Mapping, Sequence

from alignment.adjust.hardware import Hardware
from alignment.procedure.station import Station
from rectaxis.fleets.layout import Json
from rectaxis.record.journal import Journal
from rectaxis.record.slot import Scale


class Source(ABC):
    """Where the numbers of a job come from. A person reads ``typed`` ones off a scale; others show theirs on the screen."""

    @abstractmethod
    def latest(self, journal: Journal, stations: Sequence[Station], wanted: Collection[Scale]) -> Mapping[Scale, str]:
        """What the wanted scales show now, as a person would type it; without those that this source does not see."""

    def seen(self, journal: Journal, stations: Sequence[Station]) -> list[Json]:  # noqa: ARG002 - as the others
        """Readings that cameras would take now at stations that nobody reads; none where this source shows no pictures."""
        return []

    @abstractmethod
    def answer_to(self, one: Hardware, effect: Mapping[str, float]) -> None:
        """Change as the vehicle does when an adjuster is moved; ``effect`` is what its dimensions say that changes, by path."""
