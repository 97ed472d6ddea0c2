"""What turns a beam axle: one end is moved along the frame, the other is the pivot, a lever's length across.

An end that moves forward on the left turns the axle to the right, and so does one that moves back on the right.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

from alignment.adjust.adjusters import MOST_SETTINGS, Adjuster
from alignment.adjust.hardware.arms import marks, turn_to_mark
from alignment.adjust.hardware.base import ACCESS, Hardware, How, angle, count
from alignment.state import DEG


@dataclass(frozen=True, kw_only=True)
class BeamEnd(Hardware):
    """What moves one end of a beam axle. ``lever_mm`` is from that end to the pivot at the other side."""

    WORK = "beam"
    FASTENER = "U-bolts"

    lever_mm: float

    def bearing_of(self, forward_mm: float) -> dict[str, float]:
        """What moving the end forward does, by path, degrees."""
        return {f"axles/{self.axle}/bearing_deg": self.side_sign * angle(forward_mm, self.lever_mm)}


@dataclass(frozen=True, kw_only=True)
class SpringShims(BeamEnd):
    """Shims of ``thickness_mm`` at the spring ``seat`` or ``hanger``; ``pushes`` says which way one more moves the end."""

    KIND: ClassVar[str] = "spring_shims"
    NAME: ClassVar[str] = "shims"
    HARD_ENDS = True
    WORDS = {"pushes": ("forward", "back"), "where": ("seat", "hanger")}

    thickness_mm: float
    where: str = "seat"
    pushes: str = "forward"
    installed: int = 0
    most: int = 6
    cost: float = ACCESS

    @property
    def title(self) -> str:
        return f"{self.side} spring {self.where} {self.NAME}"

    def adjuster(self) -> Adjuster:
        effect = self.bearing_of(self.thickness_mm if self.pushes == "forward" else -self.thickness_mm)
        return Adjuster(
            self.id, self.KIND, "shim", 1.0, 0.0, float(self.most), float(self.installed), self.cost, effect
        )

    def how(self, start: float | str, end: float | str) -> How:
        more = float(end) - float(start)
        detail = f"Between spring and {self.where}: from {float(start):g} to {float(end):g} shims of {self.thickness_mm:g} mm. The other side is the pivot."
        return How(count(more, "shim"), "more" if more > 0 else "fewer", detail)


@dataclass(frozen=True, kw_only=True)
class SlottedSeat(BeamEnd):
    """A slotted seat: with the U-bolts loosened a jack pushes the end along its slot, ``reach_mm`` either way."""

    KIND: ClassVar[str] = "slotted_seat"
    NAME: ClassVar[str] = "slotted seat"
    HARD_ENDS = True

    reach_mm: float = 6.0
    step_mm: float = 0.5
    cost: float = ACCESS

    def adjuster(self) -> Adjuster:
        reach = math.floor(min(self.reach_mm / self.step_mm, MOST_SETTINGS) + 1e-9) * self.step_mm
        return Adjuster(
            self.id, self.KIND, "mm", self.step_mm, -reach, reach, 0.0, self.cost, self.bearing_of(1.0)
        )  # fmt: skip

    def how(self, start: float | str, end: float | str) -> How:
        by = float(end) - float(start)
        detail = "Loosen the U-bolts, push with the jack, watch the mark scribed across seat and spring."
        return How(f"{abs(by):g} mm", "forward" if by > 0 else "back", detail)


@dataclass(frozen=True, kw_only=True)
class EccentricRod(BeamEnd):
    """An eccentric at the end of a torque rod: the end moves by ``throw_mm`` times the sine of its angle; marks above 0 are
    forward.
    """

    KIND: ClassVar[str] = "eccentric_rod"
    NAME: ClassVar[str] = "eccentric of the torque rod"
    FASTENER = "eccentric's bolt"
    HALVES: ClassVar[int] = 1

    throw_mm: float
    mark_deg: float = 15.0
    stop_deg: float = 90.0
    installed: int = 0
    cost: float = ACCESS

    def adjuster(self) -> Adjuster:
        choices = {
            str(mark): self.bearing_of(self.HALVES * self.throw_mm * math.sin(mark * self.mark_deg / DEG))
            for mark in marks(self.mark_deg, self.stop_deg)
        }
        return Adjuster(self.id, self.KIND, "mark", cost=self.cost, installed=str(self.installed), choices=choices)

    def how(self, start: float | str, end: float | str) -> How:
        return turn_to_mark(self.mark_deg, self.stop_deg, start, end, ("forward", "back"))


@dataclass(frozen=True, kw_only=True)
class PairedBush(EccentricRod):
    """Two eccentric bushes, an inner and an outer half turned by the same angle in opposite ways, so that what they move
    sideways cancels and what they move along the frame adds up.
    """

    KIND: ClassVar[str] = "paired_bush"
    NAME: ClassVar[str] = "paired bushes"
    FASTENER = "pivot bolt"
    HALVES = 2

    def how(self, start: float | str, end: float | str) -> How:
        one = super().how(start, end)
        return How(one.amount, one.way, f"{one.detail} Turn the inner half as far the opposite way.")
