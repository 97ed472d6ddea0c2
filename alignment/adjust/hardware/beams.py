"""What turns a beam axle: one end is moved along the frame, the other is the pivot, a lever's length across.

An end that moves forward on the left turns the axle to the right, and so does one that moves back on the right.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

from alignment.adjust.adjusters import MOST_SETTINGS, Adjuster
from alignment.adjust.hardware.base import ACCESS, PARTS, Hardware, How, angle
from alignment.adjust.hardware.shared import Eccentric, ShimPack
from alignment.speech import side_name


@dataclass(frozen=True, kw_only=True)
class BeamEnd(Hardware):
    """What moves one end of a beam axle. ``lever_mm`` is from that end to the pivot at the other side."""

    WORK = "beam"
    FASTENER = "U-bolts"

    lever_mm: float

    def effect_of(self, moved_mm: float) -> dict[str, float]:
        """What moving the end forward does, by path, degrees."""
        return {f"axles/{self.axle}/bearing_deg": self.side_sign * angle(moved_mm, self.lever_mm)}


@dataclass(frozen=True, kw_only=True)
class SpringShims(BeamEnd, ShimPack):
    """Shims at the spring ``seat`` or ``hanger``."""

    KIND: ClassVar[str] = "spring_shims"
    WAYS = ("forward", "back")
    WORDS = {"pushes": WAYS, "where": ("seat", "hanger")}

    where: str = "seat"
    pushes: str = "forward"

    @property
    def title(self) -> str:
        return f"{side_name(self.side)} spring {self.where} {self.NAME}"

    def say_where(self) -> str:
        return f"Between spring and {self.where}, the other side being the pivot"


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
            self.id, self.KIND, "mm", self.step_mm, -reach, reach, 0.0, self.cost, self.effect_of(1.0)
        )  # fmt: skip

    def how(self, start: float | str, end: float | str) -> How:
        by = float(end) - float(start)
        detail = "Loosen the U-bolts, push with the jack, watch the mark scribed across seat and spring."
        return How(f"{abs(by):g} mm", "forward" if by > 0 else "back", detail)


@dataclass(frozen=True, kw_only=True)
class CasterWedge(Hardware):
    """Wedges between a beam that steers and its springs: they lean both its king pins alike, thick end ahead for more caster.
    ``installed`` is the wedge in place, in steps of ``step_deg``; below 0 its thick end lies behind.
    """

    KIND: ClassVar[str] = "caster_wedge"
    NAME: ClassVar[str] = "caster wedges"
    WORK = "beam"
    FASTENER = "U-bolts"
    DOUBT = 0.1
    GRADUAL = False
    HARD_ENDS = True
    SIDED = False

    step_deg: float = 0.5
    most: int = 8
    installed: int = 0
    cost: float = PARTS

    def adjuster(self) -> Adjuster:
        effect = {f"axles/{self.axle}/{side}/caster_deg": self.step_deg for side in ("left", "right")}
        most = float(self.most)
        return Adjuster(self.id, self.KIND, "step", 1.0, -most, most, float(self.installed), self.cost, effect)

    def how(self, start: float | str, end: float | str) -> How:
        by, to = (float(end) - float(start)) * self.step_deg, float(end) * self.step_deg
        lies = "ahead" if to > 0 else "behind"
        thick = f"wedges of {abs(to):g}° with the thick end {lies}" if to else "no wedges"
        return How(f"{abs(by):g}°", "more caster" if by > 0 else "less caster", f"Both sides alike: {thick}.")


@dataclass(frozen=True, kw_only=True)
class EccentricRod(BeamEnd, Eccentric):
    """An eccentric at the end of a torque rod."""

    KIND: ClassVar[str] = "eccentric_rod"
    NAME: ClassVar[str] = "eccentric of the torque rod"
    FASTENER = "eccentric's bolt"
    WAYS = ("forward", "back")


@dataclass(frozen=True, kw_only=True)
class PairedBush(EccentricRod):
    """Two eccentric bushes, an inner and an outer half turned by the same angle in opposite ways, so that what they move
    sideways cancels and what they move along the frame adds up.
    """

    KIND: ClassVar[str] = "paired_bush"
    NAME: ClassVar[str] = "paired bushes"
    FASTENER = "pivot bolt"

    def effect_of(self, moved_mm: float) -> dict[str, float]:
        return super().effect_of(2 * moved_mm)

    def how(self, start: float | str, end: float | str) -> How:
        one = super().how(start, end)
        return How(one.amount, one.way, f"{one.detail} Turn the inner half as far the opposite way.")
