"""What moves the inner end of a suspension arm: shims at one or two bolts, eccentric cams, numbered insert plates.

An arm that moves outboard takes its ball joint with it, which leans the wheel. Where it moves at one of two bolts only, the
ball joint goes half as far outboard, and is swung forward or back, which leans the steering axis: camber and caster are
coupled. At the upper arm outboard is more camber, and outboard at its front bolt swings the joint back: more caster; at the
lower arm both are the other way round.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from alignment.adjust.adjusters import MOST_SETTINGS, Adjuster
from alignment.adjust.hardware.base import ACCESS, CHEAP, PARTS, Hardware, HardwareError, How, angle, count
from alignment.state import DEG


@dataclass(frozen=True, kw_only=True)
class ArmMounting(Hardware):
    """What moves an arm at a ``bolt``: ``front`` or ``rear`` of two that are ``spacing_mm`` apart, or the ``only`` one.

    ``height_mm`` is between the upper and the lower ball joint, ``reach_mm`` from the arm's pivot line to its ball joint.
    ``toe_per_camber`` is by how much toe comes with a degree of camber, from the maker's data; 0 where nobody says.
    """

    WORK = "arm"
    FASTENER = "arm bolts"
    WORDS = {"arm": ("upper", "lower"), "bolt": ("front", "rear", "only")}

    height_mm: float
    arm: str = "upper"
    bolt: str = "only"
    spacing_mm: float = 300.0
    reach_mm: float = 300.0
    steers: bool = True
    toe_per_camber: float = 0.0

    @property
    def title(self) -> str:
        bolt = "" if self.bolt == "only" else f" {self.bolt} bolt"
        return f"{self.side} {self.arm} arm{bolt} {self.NAME}"

    def effect_of(self, outboard_mm: float) -> dict[str, float]:
        """What moving the bolt outboard does, by path, degrees."""
        way = 1.0 if self.arm == "upper" else -1.0
        share = 1.0 if self.bolt == "only" else 0.5
        camber = way * angle(share * outboard_mm, self.height_mm)
        found = {f"{self.wheel}/camber_deg": camber}
        if self.steers and self.bolt != "only":
            fore = 1.0 if self.bolt == "front" else -1.0
            swung = outboard_mm * self.reach_mm / self.spacing_mm
            found[f"{self.wheel}/caster_deg"] = way * fore * angle(swung, self.height_mm)
        if self.toe_per_camber:
            found[f"{self.wheel}/toe_deg"] = self.toe_per_camber * camber
        return found


@dataclass(frozen=True, kw_only=True)
class ArmShims(ArmMounting):
    """Shims of ``thickness_mm`` behind an arm's bolt; ``pushes`` says which way one more moves the arm."""

    KIND: ClassVar[str] = "arm_shims"
    NAME: ClassVar[str] = "shims"
    HARD_ENDS = True
    WORDS = {**ArmMounting.WORDS, "pushes": ("outboard", "inboard")}

    thickness_mm: float
    pushes: str = "outboard"
    installed: int = 0
    most: int = 8
    cost: float = ACCESS

    def adjuster(self) -> Adjuster:
        effect = self.effect_of(self.thickness_mm if self.pushes == "outboard" else -self.thickness_mm)
        return Adjuster(
            self.id, self.KIND, "shim", 1.0, 0.0, float(self.most), float(self.installed), self.cost, effect
        )

    def how(self, start: float | str, end: float | str) -> How:
        more = float(end) - float(start)
        detail = f"Loosen the bolt, not out of its hole: from {float(start):g} to {float(end):g} shims of {self.thickness_mm:g} mm."
        return How(count(more, "shim"), "more" if more > 0 else "fewer", detail)


@dataclass(frozen=True, kw_only=True)
class Cam(ArmMounting):
    """An eccentric cam at an arm's bolt, set to marks ``mark_deg`` apart: it moves the arm by ``throw_mm`` times the sine of
    its angle, up to its stop at ``stop_deg``. Mark 0 is its middle, a mark above 0 is outboard.
    """

    KIND: ClassVar[str] = "cam"
    NAME: ClassVar[str] = "cam"
    FASTENER = "cam bolt"

    throw_mm: float
    mark_deg: float = 15.0
    stop_deg: float = 90.0
    installed: int = 0
    cost: float = 2.0

    def adjuster(self) -> Adjuster:
        choices = {
            str(mark): self.effect_of(self.throw_mm * math.sin(mark * self.mark_deg / DEG))
            for mark in marks(self.mark_deg, self.stop_deg)
        }
        return Adjuster(self.id, self.KIND, "mark", cost=self.cost, installed=str(self.installed), choices=choices)

    def how(self, start: float | str, end: float | str) -> How:
        return turn_to_mark(self.mark_deg, self.stop_deg, start, end, ("outboard", "inboard"))


@dataclass(frozen=True, kw_only=True)
class ToeCam(Hardware):
    """An eccentric cam at the inner end of a toe link, ``arm_mm`` from the wheel's pivot axis to the link. Mark 0 is its
    middle; marks above 0 are outboard, which is toe-in for a link behind the axle and toe-out for one ``ahead``.
    """

    KIND: ClassVar[str] = "toe_cam"
    NAME: ClassVar[str] = "toe cam"
    WORK = "arm"
    FASTENER = "cam bolt"

    arm_mm: float
    throw_mm: float
    ahead: bool = False
    mark_deg: float = 15.0
    stop_deg: float = 90.0
    installed: int = 0
    cost: float = CHEAP

    def adjuster(self) -> Adjuster:
        way = -1.0 if self.ahead else 1.0
        choices = {
            str(mark): {
                f"{self.wheel}/toe_deg": way * angle(self.throw_mm * math.sin(mark * self.mark_deg / DEG), self.arm_mm)
            }
            for mark in marks(self.mark_deg, self.stop_deg)
        }
        return Adjuster(self.id, self.KIND, "mark", cost=self.cost, installed=str(self.installed), choices=choices)

    def how(self, start: float | str, end: float | str) -> How:
        return turn_to_mark(self.mark_deg, self.stop_deg, start, end, ("outboard", "inboard"))


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


@dataclass(frozen=True, kw_only=True)
class InsertPlate(Hardware):
    """A numbered plate in a mounting: ``table`` gives for each number the wheel's angles that it stands for, by name without
    unit (``camber``, ``caster``, ``toe``). Plates are compared with each other, so the table's zero may be any.
    """

    KIND: ClassVar[str] = "insert_plate"
    NAME: ClassVar[str] = "plate"
    WORK = "arm"
    FASTENER = "mounting bolts"
    DOUBT = 0.1
    GRADUAL = False

    mounting: str
    installed: str
    table: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    cost: float = PARTS

    ANGLES: ClassVar[tuple[str, ...]] = ("camber", "caster", "toe", "sai")

    def check(self) -> None:
        """**Raises** HardwareError for a table without what is installed, or with angles that a wheel has not."""
        if str(self.installed) not in self.table:
            raise HardwareError(f"plate: expected one of {', '.join(self.table)} to be installed, got {self.installed}")
        for plate, row in self.table.items():
            for name, value in row.items():
                if name not in self.ANGLES or isinstance(value, bool) or not isinstance(value, int | float):
                    raise HardwareError(
                        f"plate {plate}: expected numbers for {', '.join(self.ANGLES)}, got {name}: {value}"
                    )
        super().check()

    @property
    def title(self) -> str:
        return f"{self.side} {self.mounting} {self.NAME}"

    def adjuster(self) -> Adjuster:
        choices = {
            str(plate): {f"{self.wheel}/{name}_deg": float(value) for name, value in row.items()}
            for plate, row in self.table.items()
        }
        return Adjuster(self.id, self.KIND, "plate", cost=self.cost, installed=str(self.installed), choices=choices)

    def how(self, start: float | str, end: float | str) -> How:
        return How(f"plate {end}", f"in place of plate {start}", f"At the {self.mounting}; the number faces you.")
