"""What several families share: packs of shims, and eccentrics set to marks."""

from __future__ import annotations

import math
from abc import abstractmethod
from dataclasses import dataclass
from typing import ClassVar

from alignment.adjust.adjusters import MOST_SETTINGS, Adjuster
from alignment.adjust.hardware.base import ACCESS, Hardware, How, count, length
from alignment.model.state import DEG


@dataclass(frozen=True, kw_only=True)
class ShimPack(Hardware):
    """Shims of ``thickness_mm``; ``pushes`` says which way one more moves what lies on them: the first of ``WAYS`` is above 0."""

    NAME: ClassVar[str] = "shims"
    HARD_ENDS = True
    WAYS: ClassVar[tuple[str, str]]

    thickness_mm: float
    pushes: str
    installed: int = 0
    most: int = 6
    cost: float = ACCESS

    @abstractmethod
    def effect_of(self, moved_mm: float) -> dict[str, float]:
        """What moving it does, by path, degrees."""

    @abstractmethod
    def say_where(self) -> str:
        """Where the shims go, before how many."""

    def adjuster(self) -> Adjuster:
        effect = self.effect_of(self.thickness_mm if self.pushes == self.WAYS[0] else -self.thickness_mm)
        return Adjuster(
            self.id, self.KIND, "shim", 1.0, 0.0, float(self.most), float(self.installed), self.cost, effect
        )

    def how(self, start: float | str, end: float | str) -> How:
        more = float(end) - float(start)
        detail = f"{self.say_where()}: from {float(start):g} to {float(end):g} shims of {length(self.thickness_mm)}."
        return How(count(more, "shim"), "more" if more > 0 else "fewer", detail)


@dataclass(frozen=True, kw_only=True)
class Eccentric(Hardware):
    """An eccentric set to marks ``mark_deg`` apart: it moves what it carries by ``throw_mm`` times the sine of its angle, up to
    its stop at ``stop_deg``. Mark 0 is its middle; marks above 0 move to the first of ``WAYS``.
    """

    WAYS: ClassVar[tuple[str, str]] = ("outboard", "inboard")

    throw_mm: float
    mark_deg: float = 15.0
    stop_deg: float = 90.0
    installed: int = 0
    cost: float = ACCESS

    @abstractmethod
    def effect_of(self, moved_mm: float) -> dict[str, float]:
        """What moving it does, by path, degrees."""

    def adjuster(self) -> Adjuster:
        choices = {
            str(mark): self.effect_of(self.throw_mm * math.sin(mark * self.mark_deg / DEG))
            for mark in marks(self.mark_deg, self.stop_deg)
        }
        return Adjuster(self.id, self.KIND, "mark", cost=self.cost, installed=str(self.installed), choices=choices)

    def how(self, start: float | str, end: float | str) -> How:
        return turn_to_mark(self.mark_deg, self.stop_deg, start, end, self.WAYS)


def marks(mark_deg: float, stop_deg: float) -> range:
    """The marks between a cam's stops; beyond a quarter turn it would come back."""
    last = math.floor(min(min(stop_deg, 90.0) / mark_deg, MOST_SETTINGS) + 1e-9)
    return range(-last, last + 1)


def turn_to_mark(mark_deg: float, stop_deg: float, start: float | str, end: float | str, ways: tuple[str, str]) -> How:
    """A cam's move in words; ``ways`` is where marks above and below 0 move what it carries."""
    by, last = int(end) - int(start), max(marks(mark_deg, stop_deg))
    stop = " That is its stop: it goes no further." if abs(int(end)) == last else ""
    detail = f"From mark {say_mark(start)} to mark {say_mark(end)}, {mark_deg:g}° a mark; hold the cam while the nut is tightened.{stop}"
    return How(count(by, "mark"), ways[0] if by > 0 else ways[1], detail)


def say_mark(mark: float | str) -> str:
    """A cam's mark as it is read: the sign is part of it."""
    return f"{int(mark):+d}".replace("-", "\u2212") if int(mark) else "0"
