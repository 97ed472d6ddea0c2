"""What moves the inner end of a suspension arm: shims at one or two bolts, eccentric cams, numbered insert plates.

An arm that moves outboard takes its ball joint with it, which leans the wheel. Where it moves at one of two bolts only, the
ball joint goes half as far outboard, and is swung forward or back, which leans the steering axis: camber and caster are
coupled. At the upper arm outboard is more camber, and outboard at its front bolt swings the joint back: more caster; at the
lower arm both are the other way round.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.hardware.base import CHEAP, PARTS, Hardware, HardwareError, How, angle
from alignment.adjust.hardware.shared import Eccentric, ShimPack
from alignment.speech import side_name


@dataclass(frozen=True, kw_only=True)
class ArmMounting(Hardware):
    """What moves an arm at a ``bolt``: ``front`` or ``rear`` of two that are ``spacing_mm`` apart, or the ``only`` one.

    ``height_mm`` is between the upper and the lower ball joint, ``reach_mm`` from the arm's pivot line to its ball joint.
    ``toe_per_camber`` is by how much toe comes with a degree of camber, from the maker's data; 0 where nobody says, and then
    learned. The knuckle leans as one piece: the steering axis leans inboard by as much as the wheel leans outboard less, so
    that the included angle stays.
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
    def knuckle(self) -> str:
        return "" if self.toe_per_camber else f"{self.axle} {self.arm} arm"

    @property
    def title(self) -> str:
        bolt = "" if self.bolt == "only" else f" {self.bolt} bolt"
        return f"{side_name(self.side)} {self.arm} arm{bolt} {self.NAME}"

    def effect_of(self, moved_mm: float) -> dict[str, float]:
        """What moving the bolt outboard does, by path, degrees."""
        way = 1.0 if self.arm == "upper" else -1.0
        share = 1.0 if self.bolt == "only" else 0.5
        camber = way * angle(share * moved_mm, self.height_mm)
        found = {f"{self.wheel}/camber_deg": camber}
        if self.steers:
            found[f"{self.wheel}/sai_deg"] = -camber
        if self.steers and self.bolt != "only":
            fore = 1.0 if self.bolt == "front" else -1.0
            swung = moved_mm * self.reach_mm / self.spacing_mm
            found[f"{self.wheel}/caster_deg"] = way * fore * angle(swung, self.height_mm)
        if self.toe_per_camber:
            found[f"{self.wheel}/toe_deg"] = self.toe_per_camber * camber
        return found


@dataclass(frozen=True, kw_only=True)
class ArmShims(ArmMounting, ShimPack):
    """Shims behind an arm's bolt."""

    KIND: ClassVar[str] = "arm_shims"
    WAYS = ("outboard", "inboard")
    WORDS = {**ArmMounting.WORDS, "pushes": WAYS}

    pushes: str = "outboard"
    most: int = 8

    def say_where(self) -> str:
        return "Loosen the bolt, not out of its hole"


@dataclass(frozen=True, kw_only=True)
class Cam(ArmMounting, Eccentric):
    """An eccentric cam at an arm's bolt."""

    KIND: ClassVar[str] = "cam"
    NAME: ClassVar[str] = "cam"
    FASTENER = "cam bolt"

    cost: float = 2.0


@dataclass(frozen=True, kw_only=True)
class ToeCam(Eccentric):
    """An eccentric cam at the inner end of a toe link, ``arm_mm`` from the wheel's pivot axis to the link. Outboard is toe-in
    for a link behind the axle, and toe-out for one ``ahead``.
    """

    KIND: ClassVar[str] = "toe_cam"
    NAME: ClassVar[str] = "toe cam"
    WORK = "arm"
    FASTENER = "cam bolt"

    arm_mm: float
    ahead: bool = False
    cost: float = CHEAP

    def effect_of(self, moved_mm: float) -> dict[str, float]:
        size = angle(moved_mm, self.arm_mm)
        return {f"{self.wheel}/toe_deg": -size if self.ahead else size}


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
        return f"{side_name(self.side)} {self.mounting} {self.NAME}"

    @property
    def knuckle(self) -> str:
        return "" if any("toe" in row for row in self.table.values()) else f"{self.axle} plates"

    def _angles(self, row: Mapping[str, float]) -> dict[str, float]:
        """A plate's angles. Where the axis leans too, inclination goes with camber, unless the table has it."""
        leans = any("caster" in other for other in self.table.values()) and "camber" in row and "sai" not in row
        return {**row, "sai": -row["camber"]} if leans else dict(row)

    def adjuster(self) -> Adjuster:
        choices = {
            str(plate): {f"{self.wheel}/{name}_deg": float(value) for name, value in self._angles(row).items()}
            for plate, row in self.table.items()
        }
        return Adjuster(self.id, self.KIND, "plate", cost=self.cost, installed=str(self.installed), choices=choices)

    def how(self, start: float | str, end: float | str) -> How:
        return How(f"plate {end}", f"in place of plate {start}", f"At the {self.mounting}; the number faces you.")
