"""The base class of adjusters: where one sits, what one unit of it does by its mechanics, how it is worked."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import MISSING, Field, dataclass, fields, replace
from typing import Any, ClassVar, Self

from alignment.adjust.adjusters import MOST_SETTINGS, Adjuster
from alignment.model.state import DEG
from alignment.speech import side_name

CHEAP, ACCESS, PARTS = 1.0, 8.0, 12.0
"""What moving one adjuster costs, relative to turning a rod: bolts to loosen under load; parts to take out and put in.
Common practice, no source; a vehicle's layout may say otherwise.
"""


class HardwareError(ValueError):
    """An adjuster that a layout describes wrongly; the text says what was expected."""


_PLACE = frozenset(("axle", "side", "outer_thread", "seen_from", "installed", "reach_flats", "most", "cost", "steers",
                    "bolt", "table", "mounting", "stop_deg", "step_mm", "pushes"))  # fmt: skip
"""Fields that say where an adjuster is and how far it goes, not what a unit of it does."""


@dataclass(frozen=True)
class How:
    """A move in words: how much, which way, and what a person does and sees while doing it."""

    amount: str
    way: str
    detail: str


@dataclass(frozen=True, kw_only=True)
class Hardware(ABC):
    """One adjuster on a vehicle.

    ``KIND`` is its name in a layout, ``WORK`` the sort of work it is (``rod``, ``arm`` or ``beam``), for the cautions;
    ``FASTENER`` what is tightened afterwards. ``DOUBT`` is how badly its effect is known before it was ever moved, where its
    dimensions are known (a share, standard uncertainty), ``PLAY`` how many units of a move back are swallowed by play, ``GRADUAL`` whether it can be moved
    part of the way, ``HARD_ENDS`` whether it cannot be moved beyond its reach, ``SIDED`` whether it sits on one side.
    Lengths and angles (``*_mm``, ``*_deg``) are above 0.
    """

    KIND: ClassVar[str]
    NAME: ClassVar[str]
    WORK: ClassVar[str]
    FASTENER: ClassVar[str]
    DOUBT: ClassVar[float] = 0.35
    PLAY: ClassVar[float] = 0.0
    GRADUAL: ClassVar[bool] = True
    HARD_ENDS: ClassVar[bool] = False
    SIDED: ClassVar[bool] = True
    WORDS: ClassVar[Mapping[str, tuple[str, ...]]] = {}

    axle: int
    side: str = ""

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Self:
        """The adjuster of a layout's entry. **Raises** HardwareError that names the field."""
        given = {key: value for key, value in data.items() if key != "kind"}
        known = {field.name: field for field in fields(cls)}
        if unknown := sorted(given.keys() - known.keys()):
            raise HardwareError(f"{cls.NAME}: {', '.join(unknown)} is none of its fields: {', '.join(known)}")
        if missing := [name for name, field in known.items() if _needed(field) and name not in given]:
            raise HardwareError(f"{cls.NAME}: {', '.join(missing)} is missing")
        try:
            made = cls(**given)
            made.check()
        except TypeError as error:
            raise HardwareError(f"{cls.NAME}: {error}") from None
        return made

    def check(self) -> None:
        """**Raises** HardwareError for lengths not above 0, words that are not known, and what cannot be in place."""
        words = {"side": ("left", "right") if self.SIDED else ("",), **self.WORDS}
        for field in fields(self):
            value = getattr(self, field.name)
            if field.name in words and value not in words[field.name]:
                expected = ", ".join(words[field.name]) or "to be left out"
                raise HardwareError(f"{self.NAME}: expected {field.name} {expected}, got {value or 'none'}")
            if field.name.endswith(("_mm", "_deg")):
                number = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
                if not (number and value > 0) and not (value is None and field.default is None):
                    raise HardwareError(f"{self.NAME}: expected {field.name} above 0, got {value}")
        adjuster = self.adjuster()
        if adjuster.count > MOST_SETTINGS:
            raise HardwareError(f"{self.NAME}: expected at most {MOST_SETTINGS:,} settings, got {adjuster.count:,}")
        if adjuster.installed not in adjuster.positions:
            raise HardwareError(f"{self.NAME}: expected what is in place to be within reach, got {adjuster.installed}")

    @property
    def title(self) -> str:
        """What it is on its axle, in words: "left tie rod"."""
        return f"{side_name(self.side)} {self.NAME}" if self.side else self.NAME

    @property
    def id(self) -> str:
        """Its name on the vehicle: "A1 left tie rod"."""
        return f"A{self.axle} {self.title}"

    @abstractmethod
    def adjuster(self) -> Adjuster:
        """The adjuster as the job file gives it."""

    @abstractmethod
    def how(self, start: float | str, end: float | str) -> How:
        """A move from one position to another, in words."""

    @property
    def in_place(self) -> str | None:
        """What was found in place, as text; None for what has no such count, as a rod."""
        at = getattr(self, "installed", None)
        return None if at is None else str(at)

    def standing_at(self, typed: str) -> Self:
        """The same with something else in place. **Raises** HardwareError with what can be in place."""
        here = getattr(self, "installed", None)
        words = [at if isinstance(at, str) else f"{at:g}" for at in self.adjuster().positions]
        text = typed.strip().lstrip("+").replace("\u2212", "-")
        if here is None or text not in words:
            raise HardwareError(f"Expected one of {', '.join(words)} in place, got {typed[:20]}.")
        return replace(self, installed=type(here)(text))  # type: ignore[call-arg] # kinds without it have left above

    @property
    def family(self) -> str:
        """What it has in common with its like elsewhere on the vehicle: kind and dimensions, not place or position."""
        own = (f"{f.name}={getattr(self, f.name)}" for f in fields(self) if f.name not in _PLACE)
        return f"{self.KIND}({', '.join(own)})"

    @property
    def doubt(self) -> float:
        """How badly its effect is known before it was ever moved, as a share."""
        return self.DOUBT

    @property
    def knuckle(self) -> str:
        """What it leans, where nobody has said how much toe comes with that; adjusters of one name do alike. Else empty."""
        return ""

    @property
    def side_sign(self) -> float:
        """+1 on the left, -1 on the right, as a bearing counts."""
        return -1.0 if self.side == "right" else 1.0

    @property
    def wheel(self) -> str:
        """The path of its wheel."""
        return f"axles/{self.axle}/{self.side}"


def angle(length_mm: float, lever_mm: float) -> float:
    """The angle in degrees by which a length at the end of a lever turns it."""
    return math.atan(length_mm / lever_mm) * DEG


def length(mm: float) -> str:
    """A length in words as finely as it can be measured: a thirty-second of an inch is "0.79 mm"."""
    return f"{round(mm, 2):g} mm"


def count(number: float, one: str) -> str:
    """A count in words: "3 flats", "1 flat"."""
    size = abs(number)
    return f"{size:g} {one if size == 1 else one + 's'}"


def _needed(field: Field[Any]) -> bool:
    return field.default is MISSING and field.default_factory is MISSING
