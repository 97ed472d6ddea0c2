"""A place where a person reads a scale, and what the numbers read there make: one reading, from one look or several."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, NamedTuple

from alignment.judge.verdict import COVERAGE
from alignment.readings import KINDS, Reading
from alignment.speech import of_sides


@dataclass(frozen=True)
class Setup:
    """One hanging of the tools: which axle carries the heads, which the flags (None without flags on an axle).

    ``piece`` and ``other`` are what hangs on the wheels of the one and of the other, in a word; empty for nothing. ``short`` is
    what the set-up is called where there is no room, if not by its axles.
    """

    number: int
    title: str
    heads: int
    flags: int | None
    hang: tuple[str, ...]
    piece: str = "head"
    other: str = "flag"
    short: str = ""

    @property
    def hung(self) -> tuple[str, ...]:
        """How the tools are hung, with the sides as the reader calls them."""
        return tuple(of_sides(line) for line in self.hang)

    def as_dict(self) -> dict[str, Any]:
        """Plain data, as a job keeps it."""
        return dict(vars(self)) | {"hang": list(self.hang)}

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Setup:
        """The set-up that ``as_dict`` gave."""
        return cls(**{**data, "hang": tuple(data["hang"])})


NEAR_FAR = ("near", "far")
"""The two places at one axle that a kit's file may give with ``along_mm``; the last part of a slot tells them apart."""
PATHS = {"camber_deg": "roll", "toe_deg": "toe"}
"""How the paths of a runout's numbers begin, by the field of the position: ``roll_90``, and ``toe_90`` after it."""


@dataclass(frozen=True)
class SetUpNumber:
    """A number of the set-up that the person may change: where a gauge was put, how far a wheel was turned."""

    slot: str
    label: str
    dimension: str
    usual: float


@dataclass(frozen=True)
class Mean:
    """What several looks at one scale come to. ``spread`` is their standard deviation, ``apart`` where they differ by
    more than the scale can be misread. ``left_out`` is the one look that does not agree with the others, where these agree.
    """

    value: float
    count: int
    spread: float
    apart: bool
    left_out: float | None = None

    @property
    def widens(self) -> float:
        """What looks that stand apart say of the reading's own standard uncertainty; 0 where they agree."""
        return self.spread if self.apart else 0.0


def mean_of(looks: Sequence[float], u: float) -> Mean:
    """The mean of looks at one scale that can be read within a standard uncertainty ``u``.

    They stand apart where their standard deviation is beyond COVERAGE times ``u``: more than misreading explains. Where
    the others agree without one of them, a third look has decided, and that one is left out.
    """
    value, spread = _mean(looks)
    if spread <= COVERAGE * u or len(looks) < _LOOKS_THAT_DECIDE:
        return Mean(value, len(looks), spread, spread > COVERAGE * u)
    odd = max(looks, key=lambda look: abs(look - value))
    rest = list(looks)
    rest.remove(odd)
    kept, left = _mean(rest)
    if left <= COVERAGE * u:
        return Mean(kept, len(rest), left, apart=False, left_out=odd)
    return Mean(value, len(looks), spread, apart=True)


_LOOKS_THAT_DECIDE = 3


def _mean(looks: Sequence[float]) -> tuple[float, float]:
    """Mean and standard deviation."""
    value = math.fsum(looks) / len(looks)
    squares = math.fsum((look - value) ** 2 for look in looks)
    return value, math.sqrt(squares / (len(looks) - 1)) if len(looks) > 1 else 0.0


class LookedAt(NamedTuple):
    """How often a station was looked at, and the standard deviation of its looks where they stand apart."""

    times: int = 1
    widens: float = 0.0


def spread(entry: float | Mapping[str, float], distance_mm: float, looks: int = 1, widens: float = 0.0) -> float:
    """Standard uncertainty of a number read ``distance_mm`` from the tool that makes it, in the reading's unit.

    ``entry`` is the number itself, or its parts: ``reading`` (the resolution of the scale), ``setup`` (hanging and
    levelling the tool) and ``per_metre`` (the beam's direction and width), which add as squares (JCGM 100, from memory).
    Several ``looks`` at one scale make the reading better by their root; how the tool hangs stays as it is. Looks that
    stand apart make it worse: ``widens`` is then their standard deviation.
    """
    if not isinstance(entry, Mapping):
        return max(float(entry), widens) / math.sqrt(looks)
    reading = max(entry.get("reading", 0.0), widens) / math.sqrt(looks)
    parts = (reading, entry.get("setup", 0.0), entry.get("per_metre", 0.0) * distance_mm / 1000)
    return math.sqrt(sum(part * part for part in parts))


@lru_cache(maxsize=1024)
def _needed(kind: type[Reading], fields: tuple[str, ...]) -> tuple[str, ...]:
    spare = {name for group in kind.TOGETHER for name in group}
    return tuple(path for path in fields if path not in spare)


@dataclass(frozen=True)
class Station:
    """A reading to take. ``fields`` are paths within it of the numbers to read, in walking order.

    Its ``slot`` is a name that stays the same for the life of a job: a typed number belongs to a slot. ``plus`` and
    ``minus`` say which side of zero is which, empty where a scale has one side only; ``step`` is what it can be read to,
    ``spreads`` its uncertainties by key, as parts, ``reach_mm`` the length of its beam and ``asked`` the set-up numbers
    that a person may change.
    """

    slot: str
    setup: int
    stage: str
    scale: str
    least: float
    most: float
    reading: Mapping[str, Any]
    fields: tuple[str, ...]
    plus: str = ""
    minus: str = ""
    step: float = 0.0
    spreads: Mapping[str, Any] = field(default_factory=dict)
    reach_mm: float = 0.0
    asked: tuple[str, ...] = ()
    rest: Mapping[str, Any] = field(default_factory=dict)

    @property
    def kind(self) -> type[Reading]:
        """What there is to know of its kind of reading."""
        return KINDS[self.reading["kind"]]

    @property
    def place(self) -> str:
        """Where on the same axle it stands, if there are two like it: ``near``, ``far``; empty otherwise."""
        place = self.slot.rsplit("/", 1)[-1]
        return place if place in NEAR_FAR else ""

    @property
    def unit(self) -> str:
        return self.kind.UNIT

    def as_dict(self) -> dict[str, Any]:
        """Plain data, as a job keeps it."""
        lists = {"reading": dict(self.reading), "spreads": dict(self.spreads), "rest": dict(self.rest)}
        return dict(vars(self)) | lists | {"fields": list(self.fields), "asked": list(self.asked)}

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> Station:
        """The station that ``as_dict`` gave."""
        return cls(**{**data, "fields": tuple(data["fields"]), "asked": tuple(data.get("asked", ()))})

    @property
    def needed(self) -> tuple[str, ...]:
        """The fields without which there is no reading; the others are read all together or not at all."""
        return _needed(self.kind, self.fields)

    def sides(self, path: str) -> tuple[str, str]:
        """What lies above and below zero on the scale of one number: ("toe-in", "toe-out"); empty on a one-sided scale."""
        if not self.minus:
            return "", ""
        return next(
            (sides for begins, sides in _OTHER_SIDES.items() if path.startswith(begins)), (self.plus, self.minus)
        )

    def set_up_numbers(self) -> tuple[SetUpNumber, ...]:
        """What a person may say of how this tool was placed, with what is usual. Distances have no sign."""
        fields = [field for name in self.asked if (field := self.kind.field(name)) is not None]
        return tuple(
            SetUpNumber(f"{self.slot}/{field.name}", field.asked, field.what, abs(float(self.reading[field.name])))
            for field in fields
        )

    def placed(self, numbers: Mapping[str, float]) -> Station:
        """This station as a person placed it: ``numbers`` by the slots of ``set_up_numbers``; others stay as they are."""
        given = {name: numbers[slot] for name in self.asked if (slot := f"{self.slot}/{name}") in numbers}
        if not given:
            return self
        reach = given.get("ahead_mm", self.reach_mm)
        signed = {name: math.copysign(value, float(self.reading[name])) for name, value in given.items()}
        return replace(self, reading={**self.reading, **signed, **self.u_of(LookedAt(), reach)}, reach_mm=reach)

    def u_of(self, looks: LookedAt, reach_mm: float | None = None) -> dict[str, float]:
        """Its uncertainties by key after so many looks; the length of its beam where it is not its own."""
        reach = self.reach_mm if reach_mm is None else reach_mm
        return {key: spread(entry, reach, *looks) for key, entry in self.spreads.items()}

    def reading_u(self) -> float:
        """Standard uncertainty of one look at the scale, without what the hanging of the tool adds."""
        entry = next(iter(self.spreads.values()), 0.0)
        return float(entry.get("reading", 0.0) if isinstance(entry, Mapping) else entry)

    def with_values(self, values: Mapping[str, Any], looks: LookedAt = LookedAt()) -> dict[str, Any] | None:  # noqa: B008 - frozen
        """The reading with its open fields filled, or None while one of them is missing.

        ``values`` are by field path, means of ``looks``. A runout counts as soon as one of its positions is there.
        """
        if "positions" in self.reading:
            return self._with_positions(values)
        if any(path not in values for path in self.needed):
            return None
        better = self.u_of(looks) if looks != LookedAt() else {}
        spare = [path for path in self.fields if path not in self.needed]
        read = self.fields if all(path in values for path in spare) else self.needed
        return {**self.reading, **better, **{path: values[path] for path in read}}

    def _with_positions(self, values: Mapping[str, float]) -> dict[str, Any] | None:
        count = len(self.fields) // len(self.reading["positions"])
        found = []
        for number, position in enumerate(self.reading["positions"]):
            paths = self.fields[number * count : (number + 1) * count]
            if all(path in values for path in paths):
                read = {name: values[path] for name, path in zip(PATHS, paths, strict=False)}
                found.append({**position, **read})
        return {**self.reading, "positions": found} if found else None

    def blank(self, phase: str = "before") -> Reading:
        """The reading with its scales at rest: what stands there before anybody has looked."""
        kind = self.kind
        values = {path: self.rest.get(path, 0.0) for path in self.fields}
        return kind({"phase": phase, **(self.with_values(values) or {})})


_OTHER_SIDES = {"pitch": ("front up", "front down"), "toe_": ("toe-in", "toe-out")}
"""What lies on either side of zero for a number that is read beside a camber, by how its name begins."""
