"""Numbers that a person reads and types: the source itself shows nothing, and the vehicle answers to a move by itself."""

from __future__ import annotations

from collections.abc import Mapping

from alignment.adjust.hardware import Hardware
from rectaxis.record.slot import Scale
from rectaxis.sources.base import Source


class TypedByHand(Source):
    """A real vehicle with tools that a person reads."""

    def latest(self, *_: object) -> Mapping[Scale, str]:
        """Nothing: a person looks."""
        return {}

    def answer_to(self, one: Hardware, effect: Mapping[str, float]) -> None:
        """Nothing: the vehicle itself has changed."""
