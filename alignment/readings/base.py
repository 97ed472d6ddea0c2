"""What every kind of reading is: its fields, its rows, and what its scale shows."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from random import Random
from typing import Any, ClassVar, NamedTuple

from alignment.model.formula import Formula, Prediction
from alignment.model.state import Ground, Layout, State
from alignment.model.vehicle import SIDES, Vehicle
from alignment.speech import side_name

DEFAULT_U_MM = 0.5
"""Standard uncertainty of a number read off a scale where the reading gives none (the job file's contract)."""
DEFAULT_U_DEG = 0.05
"""Standard uncertainty of an angle read off a gauge where the reading gives none (the job file's contract)."""

SQRT2 = 2.0**0.5


class Field(NamedTuple):
    """One field of a reading in the job file.

    ``what`` is ``length``, ``angle``, ``word``, ``text``, ``side``, ``axle`` (another axle's number), ``any axle``,
    ``carrier``, ``vector`` (three numbers), ``positions``, or ``rows`` and ``matrix`` of a covariance. ``measured`` marks what a person reads off the tool; the rest is
    set-up. ``above_zero`` is for numbers that must be. A number of the set-up that depends on where a person put the tool is
    ``asked`` for in these words; a number read that is one of several of a scale is told by its ``part``, ``short`` on the
    drawing.
    """

    name: str
    what: str
    required: bool = True
    measured: bool = False
    above_zero: bool = False
    words: tuple[str, ...] = ()
    asked: str = ""
    part: str = ""
    short: str = ""


CLAMP = Field("clamp", "word", required=False, words=("trued", "raw"))
"""What became of the error of the clamps that the tools hang on: nothing is left, or it is still in the numbers at roll 0."""
GAUGE = Field("gauge", "text", required=False)
ZERO = Field("zero_u_deg", "angle", required=False, above_zero=True)
"""The gauge that was read against gravity, by name, and how well its zero is known."""
DEFAULT_ZERO_U_DEG = 0.05
"""Standard uncertainty of a gauge's zero where no reading of it gives one (the job file's contract)."""


UNCERTAINTIES = {
    name: Field(name, what, required=False, above_zero=True)
    for what, names in (
        ("length", ("u_mm", "u_along_mm")),
        ("angle", ("u_deg", "u_camber_deg", "u_sai_deg", "u_leftward_deg")),
    )
    for name in names
}
"""The fields in which a reading may give its own uncertainties, by name."""


class Observed(NamedTuple):
    """A number that one row compares with its prediction: value and standard uncertainty, in mm or degrees."""

    value: float
    u: float


class Assumed(NamedTuple):
    """What an unknown is taken for where no row determines it, with its standard uncertainty, radians."""

    unknown: int
    value: float
    u: float


class Reading(ABC):
    """A reading as the job file gives it: ``data`` holds its own fields, checked before this is made.

    ``UNIT`` is that of the numbers read. ``TOGETHER`` names optional fields that come all or not at all; of
    ``EITHER`` exactly one group of optional fields is given. ``STEERS`` marks kinds that are read only on an axle
    that steers, ``PLURAL`` those whose title is in the plural.

    ``MEASURES`` says what a device measures for a number read, by its field (``alignment/live/measures.py``). ``TURNED`` are the
    numbers that say how far the wheel is steered, at its stops, with +1 where that is toe-out and -1 where it is toe-in.

    ``WALK`` orders what is read at one place: the wheel's own first, then across, then along. ``AT_REST`` is where its scale
    stands on a perfect vehicle, in its own unit, as far as its rows leave that free. ``TELLS_TOE`` marks kinds that tell
    toe by themselves, ``SHOWN`` those whose numbers a scale shows, so that a plan says what it will show, ``SEEN`` those that
    come from pictures, of all wheels together.
    """

    KIND: ClassVar[str]
    TITLE: ClassVar[str]
    FIELDS: ClassVar[tuple[Field, ...]]
    UNIT: ClassVar[str]
    ON_AXLE: ClassVar[bool] = True
    STEERS: ClassVar[bool] = False
    PLURAL: ClassVar[bool] = False
    WALK: ClassVar[int]
    AT_REST: ClassVar[float] = 0.0
    TELLS_TOE: ClassVar[bool] = False
    SHOWN: ClassVar[bool] = True
    SEEN: ClassVar[bool] = False
    MEASURES: ClassVar[Mapping[str, str]] = {}
    TURNED: ClassVar[Mapping[str, float]] = {}
    TOGETHER: ClassVar[tuple[tuple[str, ...], ...]] = ()
    EITHER: ClassVar[tuple[tuple[str, ...], ...]] = ()

    @classmethod
    def at_rest(cls, name: str) -> float:  # noqa: ARG003 - for kinds whose numbers stand apart
        """Where the scale of the field of that name stands on a perfect vehicle."""
        return cls.AT_REST

    @classmethod
    def field(cls, name: str) -> Field | None:
        """The field of that name; None where the kind has none, as for the numbers of a position."""
        return next((field for field in cls.FIELDS if field.name == name), None)

    @classmethod
    def measures(cls, path: str) -> str:
        """What a device measures for the number at a path; empty where none gives it."""
        return cls.MEASURES.get(path, "")

    def __init__(self, data: Mapping[str, Any]) -> None:
        self.data = data
        self.phase: str = data["phase"]
        self.axle: int = data.get("axle", 0)
        self.side: str = data.get("side", "")
        self._key: tuple[object, ...] | None = None
        self._numbers: tuple[Observed, ...] | None = None

    @classmethod
    def u_keys(cls, data: Mapping[str, Any]) -> tuple[str, ...]:  # noqa: ARG003 - for kinds read in either unit
        """Names of the uncertainties that a reading of these fields may give."""
        return {"mm": ("u_mm",), "deg": ("u_deg",)}.get(cls.UNIT, ())

    @property
    def unit(self) -> str:
        """The unit of this reading's numbers: ``mm``, ``deg`` or ``none``."""
        return self.UNIT

    @property
    def u_mm(self) -> float:
        """Standard uncertainty of each length read, mm."""
        return float(self.data.get("u_mm", DEFAULT_U_MM))

    @property
    def u_deg(self) -> float:
        """Standard uncertainty of each angle read, degrees."""
        return float(self.data.get("u_deg", DEFAULT_U_DEG))

    @property
    def u(self) -> float:
        """Standard uncertainty of each number read, in the reading's unit."""
        return self.u_mm if self.unit == "mm" else self.u_deg

    @property
    def key(self) -> tuple[object, ...]:
        """``structure``, worked out once."""
        if self._key is None:
            self._key = self.structure()
        return self._key

    @property
    def numbers(self) -> tuple[Observed, ...]:
        """``observed``, worked out once."""
        if self._numbers is None:
            self._numbers = self.observed()
        return self._numbers

    def worked_in(self) -> tuple[object, ...]:
        """Numbers read that its formulas, or the perfect vehicle's place, depend on; most kinds have none."""
        return ()

    def structure(self) -> tuple[object, ...]:
        """All that its formulas depend on, besides vehicle, datum and ground: readings that differ only in what was
        read have the same.
        """
        data = self.data
        given = ((f.name, None if f.measured else data[f.name]) for f in self.FIELDS if f.name in data)
        return self.KIND, self.axle, *given

    def number(self, name: str) -> float:
        """The value of a field."""
        return float(self.data[name])

    @classmethod
    def on_clamp(cls) -> bool:
        """Whether its tools hang on the wheels by clamps, whose errors may be in its numbers."""
        return cls.field(CLAMP.name) is not None

    @property
    def raw(self) -> bool:
        """Whether the errors of the clamps are still in its numbers."""
        return bool(self.data.get(CLAMP.name) == "raw")

    @property
    def clamps(self) -> tuple[tuple[int, str], ...]:
        """The wheels, by axle and side, on whose clamps its tools hang."""
        return tuple((self.axle, side) for side in SIDES if self.side in ("", side))

    @property
    def gauge(self) -> str | None:
        """The gauge that it was read with, where it names one whose zero counts."""
        name = self.data.get(GAUGE.name)
        return None if name is None else str(name)

    @property
    def zero_u_deg(self) -> float:
        """Standard uncertainty of its gauge's zero, degrees."""
        return float(self.data.get(ZERO.name, DEFAULT_ZERO_U_DEG))

    def declare(self, layout: Layout) -> None:
        """Add the unknowns that only this reading brings (a clamp's error, a base length, the frame's line)."""
        if self.raw:
            for axle, side in self.clamps:
                layout.clamp(axle, side)
        if self.gauge is not None:
            layout.zero(self.gauge)

    def determines(self, layout: Layout) -> frozenset[int] | None:  # noqa: ARG002 - most kinds determine all
        """The unknowns that the rows may determine, where they are not all that the rows depend on."""
        return None

    def assumes(self, layout: Layout) -> tuple[Assumed, ...]:  # noqa: ARG002 - most kinds assume nothing
        """What the rows take for granted where nothing else gives it."""
        return ()

    @abstractmethod
    def observed(self) -> tuple[Observed, ...]:
        """The numbers that the rows compare, in the rows' order."""

    @abstractmethod
    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        """What the same numbers are as functions of the unknowns, in mm or degrees, in the rows' order."""

    def predict(self, state: State) -> tuple[Prediction, ...]:
        """What the same numbers would be in a given state, in mm or degrees, in the rows' order."""
        return tuple(formula.at(state.x) for formula in self.formulas(state.layout, state.ground))

    def shown(self, state: State) -> dict[str, Any]:
        """The measured fields as the scales show them in a given state."""
        return self.showing([prediction.value for prediction in self.predict(state)])

    def with_numbers(self, data: Mapping[str, Any]) -> Reading:
        """The same reading with other numbers read and the formulas of this one."""
        return type(self)(data)

    def blurred(self, name: str, value: Any, rng: Random) -> Any:  # noqa: ARG002 - of one that is a single number
        """A field's value with a normal error of the reading's own uncertainty."""
        return value + rng.gauss(0.0, self.u)

    @property
    def rows(self) -> tuple[str, ...]:
        """Names of its rows, for the kinds whose rows are known together with others."""
        return ()

    @classmethod
    def resting(cls, vehicle: Vehicle, axle: int, side: str) -> dict[str, Any]:  # noqa: ARG003 - most show numbers, not places
        """What its fields that are places or directions are on the perfect vehicle."""
        return {}

    @abstractmethod
    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        """The measured fields as the scales would show them, given the rows' predicted values.

        What the rows leave free (the mean of two scales of unknown length) stays as it was read.
        """

    def title(self) -> str:
        """The reading in words, for a sentence: "left camber of axle 1"."""
        where = f"{side_name(self.side)} {self.TITLE}" if self.side else self.TITLE
        return f"{where} of axle {self.axle}"


class SingleReading(Reading):
    """Base of the kinds that read one number, named by ``FIELD``."""

    FIELD: ClassVar[str]

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(self.number(self.FIELD), self.u),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        return {self.FIELD: predicted[0]}


class PairReading(Reading):
    """Base of the kinds that read two like scales, left and right, in millimetres, and compare their difference.

    ``HALF`` says that the row is half of right less left (scales that grow outboard); otherwise it is the whole of
    left less right, or of right less left where ``RIGHT_FIRST``.
    """

    UNIT = "mm"
    PLURAL = True
    HALF: ClassVar[bool] = True
    RIGHT_FIRST: ClassVar[bool] = True
    SCALES: ClassVar[tuple[Field, ...]] = (
        Field("left_mm", "length", measured=True),
        Field("right_mm", "length", measured=True),
    )

    @property
    def left(self) -> float:
        return self.number("left_mm")

    @property
    def right(self) -> float:
        return self.number("right_mm")

    def observed(self) -> tuple[Observed, ...]:
        difference = self.right - self.left if self.RIGHT_FIRST else self.left - self.right
        return (Observed(difference / 2, self.u / SQRT2) if self.HALF else Observed(difference, self.u * SQRT2),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        half = predicted[0] if self.HALF else predicted[0] / 2
        half = half if self.RIGHT_FIRST else -half
        mean = (self.left + self.right) / 2
        return {"left_mm": mean - half, "right_mm": mean + half}
