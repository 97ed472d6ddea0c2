"""What every kind of reading is: its fields, its rows, and what its scale shows."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from alignment.state import Layout, Prediction, State

DEFAULT_U_MM = 0.5
"""Standard uncertainty of a number read off a scale where the reading gives none (the job file's contract)."""
DEFAULT_U_DEG = 0.05
"""Standard uncertainty of an angle read off a gauge where the reading gives none (the job file's contract)."""

SQRT2 = 2.0**0.5


@dataclass(frozen=True)
class Field:
    """One field of a reading in the job file.

    ``what`` is ``length``, ``angle``, ``word``, ``text``, ``side``, ``carrier`` or ``positions``. ``measured``
    marks what a person reads off the tool; the rest is set-up. ``above_zero`` is for lengths that must be.
    """

    name: str
    what: str
    required: bool = True
    measured: bool = False
    above_zero: bool = False
    words: tuple[str, ...] = ()


@dataclass(frozen=True)
class Observed:
    """A number that one row compares with its prediction: value and standard uncertainty, in mm or degrees."""

    value: float
    u: float


class Reading(ABC):
    """A reading as the job file gives it: ``data`` holds its own fields, checked before this is made."""

    KIND: ClassVar[str]
    TITLE: ClassVar[str]
    FIELDS: ClassVar[tuple[Field, ...]]
    UNIT: ClassVar[str]
    ON_AXLE: ClassVar[bool] = True

    def __init__(self, data: Mapping[str, Any]) -> None:
        self.data = data
        self.phase: str = data["phase"]
        self.axle: int = data.get("axle", 0)
        self.side: str = data.get("side", "")

    @property
    def u(self) -> float:
        """Standard uncertainty of each number read, in the reading's unit."""
        if self.UNIT == "mm":
            return float(self.data.get("u_mm", DEFAULT_U_MM))
        return float(self.data.get("u_deg", DEFAULT_U_DEG))

    def declare(self, layout: Layout) -> None:  # noqa: B027 - most kinds bring no unknowns of their own
        """Add the unknowns that only this reading brings (a clamp's error, a base length, the frame's line)."""

    @abstractmethod
    def observed(self) -> tuple[Observed, ...]:
        """The numbers that the rows compare, in the rows' order."""

    @abstractmethod
    def predict(self, state: State) -> tuple[Prediction, ...]:
        """What the same numbers would be in a given state, in mm or degrees, in the rows' order."""

    @abstractmethod
    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        """The measured fields as the scales would show them, given the rows' predicted values.

        What the rows leave free (the mean of two scales of unknown length) stays as it was read.
        """

    def title(self) -> str:
        """The reading in words, for a sentence: "left camber of axle 1"."""
        where = f"{self.side} {self.TITLE}" if self.side else self.TITLE
        return f"{where} of axle {self.axle}"


class PairReading(Reading):
    """Base of the kinds that read two like scales, left and right, in millimetres."""

    UNIT = "mm"
    SCALES: ClassVar[tuple[Field, ...]] = (
        Field("left_mm", "length", measured=True),
        Field("right_mm", "length", measured=True),
    )

    @property
    def left(self) -> float:
        return float(self.data["left_mm"])

    @property
    def right(self) -> float:
        return float(self.data["right_mm"])
