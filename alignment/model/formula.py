"""What a scale shows, written as a formula in the unknowns, with its slopes.

A formula is a sum of terms: ``factor · x``, ``factor · tan(Σ a·x)``, ``factor · sin(Σ a·x)``, and terms of any other
form, which take sums ``Σ a·x`` and bring their own slopes against these. The first three are kept as numbers, so that
many rows are worked out together; the last are functions. An index of None stands for an unknown that is zero by
definition, and adds nothing.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Values = list[float] | dict[int, float]
"""Values of unknowns by index: all of them, or those that will be asked for."""
Term = Callable[[tuple[float, ...]], tuple[float, Sequence[float]]]
"""A term of its own form: its value and its slopes against the sums it takes, at given values of these."""
Alone = Callable[[tuple[float, ...]], float]
"""The value of such a term by itself, where that is much less work than its slopes."""
Argument = tuple[tuple[float, int], ...]
"""A sum of unknowns, as pairs of a factor and an index."""

_LARGEST = 1e60
"""Slopes and predictions beyond this (a track of a billionth of a nanometre) are cut, so that squares stay finite."""


class Length(NamedTuple):
    """A length along or across the vehicle, mm: what is known of it, and a sum of unknowns (none where it is exact)."""

    known: float
    unknown: Argument = ()

    def times(self, factor: float) -> Length:
        """So many times this length."""
        return Length(factor * self.known, tuple((factor * a, index) for a, index in self.unknown))

    def plus(self, other: Length) -> Length:
        """The sum of two lengths."""
        return Length(self.known + other.known, self.unknown + other.unknown)

    def at(self, x: Values) -> float:
        """How long it is at given values of the unknowns."""
        return self.known + sum(a * x[index] for a, index in self.unknown)


class Input(NamedTuple):
    """A sum of unknowns that a term of its own form takes. A ``secondary`` one enters as 0 where the readings do not
    determine it, even if they determine it together with something else.
    """

    sum: Argument
    secondary: bool = False


class Own(NamedTuple):
    """A term of its own form with what it takes."""

    term: Term
    inputs: tuple[Input, ...]
    alone: Alone | None = None

    def value(self, at: tuple[float, ...]) -> float:
        """Its value alone, at given values of the sums it takes."""
        return self.alone(at) if self.alone else self.term(at)[0]


class Prediction:
    """What a scale shows in one state: its value, and its slope against each unknown by index."""

    __slots__ = ("slopes", "value")

    def __init__(self, value: float, slopes: dict[int, float]) -> None:
        self.value = value
        self.slopes = slopes


class Formula:
    """One row's prediction as a function of the unknowns. Each method adds one term and returns the formula."""

    __slots__ = ("constant", "lines", "others", "sines", "tangents", "touched")

    def __init__(self, constant: float = 0.0) -> None:
        self.constant = constant
        self.lines: list[tuple[float, int]] = []
        self.tangents: list[tuple[float, Argument]] = []
        self.sines: list[tuple[float, Argument]] = []
        self.others: list[Own] = []
        self.touched: list[int] = []

    def linear(self, factor: float, index: int | None) -> Formula:
        """Add ``factor · x``."""
        if index is not None:
            self.lines.append((factor, index))
            self.touched.append(index)
        return self

    def plus(self, argument: Argument) -> Formula:
        """Add a sum of unknowns."""
        for factor, index in argument:
            self.linear(factor, index)
        return self

    def length(self, factor: float, length: Length) -> Formula:
        """Add so many times a length."""
        self.constant += factor * length.known
        return self.plus(length.times(factor).unknown)

    def tan(self, factor: float | Length, *argument: tuple[float, int | None]) -> Formula:
        """Add a tangent of a sum: ``factor`` times it, its argument given as pairs ``(a, index)``."""
        kept = self._kept(argument)
        if not kept:
            return self
        if isinstance(factor, Length) and factor.unknown:
            return self.own(_lever(factor.known), Input(factor.unknown), Input(kept))
        self.tangents.append((factor.known if isinstance(factor, Length) else factor, kept))
        return self

    def sin(self, factor: float, *argument: tuple[float, int | None]) -> Formula:
        """Add a sine of a sum: ``factor`` times it, its argument given as pairs ``(a, index)``."""
        kept = self._kept(argument)
        if kept:
            self.sines.append((factor, kept))
        return self

    def own(self, term: Term, *inputs: Input, alone: Alone | None = None) -> Formula:
        """Add a term of its own form, which takes the ``inputs`` in this order; ``alone`` gives its value without slopes."""
        self.others.append(Own(term, inputs, alone))
        self.touched += [index for one in inputs for _, index in one.sum]
        return self

    def secondary(self) -> Iterable[Argument]:
        """The sums that enter as 0 where the readings do not determine them."""
        return (one.sum for own in self.others for one in own.inputs if one.secondary and one.sum)

    def without(self, unknown: frozenset[Argument]) -> Formula:
        """The same formula with these secondary sums at 0."""
        if unknown.isdisjoint(self.secondary()):
            return self
        made = Formula(self.constant)
        made.lines, made.tangents, made.sines, made.touched = self.lines, self.tangents, self.sines, self.touched
        for own in self.others:
            kept = (one._replace(sum=()) if one.secondary and one.sum in unknown else one for one in own.inputs)
            made.others.append(own._replace(inputs=tuple(kept)))
        return made

    def _kept(self, argument: Iterable[tuple[float, int | None]]) -> Argument:
        kept = tuple((factor, index) for factor, index in argument if index is not None)
        self.touched += [index for _, index in kept]
        return kept

    def at(self, x: Values) -> Prediction:
        """The prediction at given values of the unknowns (radians and millimetres)."""
        value = self.constant
        slopes: dict[int, float] = dict.fromkeys(self.touched, 0.0)
        for factor, index in self.lines:
            value += factor * x[index]
            slopes[index] += factor
        for factor, argument in self.tangents:
            tangent = math.tan(sum(a * x[i] for a, i in argument))
            value += factor * tangent
            for a, i in argument:
                slopes[i] += factor * a * (1.0 + tangent * tangent)
        for factor, argument in self.sines:
            angle = sum(a * x[i] for a, i in argument)
            value += factor * math.sin(angle)
            for a, i in argument:
                slopes[i] += factor * a * math.cos(angle)
        for term, inputs, _ in self.others:
            added, by_input = term(tuple([sum([a * x[i] for a, i in one.sum]) for one in inputs]))
            value += added
            for one, slope in zip(inputs, by_input, strict=True):
                for a, i in one.sum:
                    slopes[i] += slope * a
        return Prediction(value, slopes)


def _lever(known: float) -> Term:
    """A length, as far as it is known, times the tangent of an angle."""

    def term(at: tuple[float, ...]) -> tuple[float, Sequence[float]]:
        length, tangent = known + at[0], math.tan(at[1])
        return length * tangent, (tangent, length * (1.0 + tangent * tangent))

    return term


class _Waves:
    """Waves of one function over the rows (m,) and columns (n,) of a sheet."""

    def __init__(
        self, waves: Sequence[tuple[int, float, Argument]], place: dict[int, int], shape: tuple[int, int]
    ) -> None:
        self.arguments = np.zeros((len(waves), shape[1]))
        self._shape = shape
        self._rows = np.array([row for row, _, _ in waves])
        self._factors = np.array([factor for _, factor, _ in waves])
        entries = [(wave, row, place[i], a * f) for wave, (row, f, argument) in enumerate(waves) for a, i in argument]
        for wave, (_, _, argument) in enumerate(waves):
            for a, index in argument:
                self.arguments[wave, place[index]] += a
        # Where each part of an argument stands in the Jacobian laid out as one line, and what it counts there.
        self._waves = np.array([wave for wave, _, _, _ in entries])
        self._spots = np.array([row * shape[1] + column for _, row, column, _ in entries])
        self._shares = np.array([share for _, _, _, share in entries])

    def over_rows(self, waves: Array) -> Array:
        """The waves (t,) added up over the rows (m,) they belong to."""
        return np.asarray(np.bincount(self._rows, self._factors * waves, self._shape[0]), dtype=float)

    def add(self, waves: Array, slopes: Array, values: Array, jacobian: Array) -> None:
        """Add the waves (t,) and their slopes against their arguments (t,) to the rows they belong to."""
        rows, columns = self._shape
        values += self.over_rows(waves)
        jacobian += np.bincount(self._spots, self._shares * slopes[self._waves], rows * columns).reshape(rows, columns)


class _Others:
    """Terms of their own form over the rows (m,) and columns (n,) of a sheet. Sums that several take are worked out once, and so is a term
    that stands in several rows: a wheel's camber stands in each row of its runout.
    """

    def __init__(self, formulas: Sequence[Formula], place: dict[int, int], columns: int) -> None:
        sums: dict[Argument, int] = {}
        terms: dict[tuple[Term, tuple[int, ...]], list[int]] = {}
        alone: list[Alone] = []
        for row, formula in enumerate(formulas):
            for own in formula.others:
                taken = tuple(sums.setdefault(one.sum, len(sums)) for one in own.inputs)
                if (own.term, taken) not in terms:
                    terms[own.term, taken] = []
                    alone.append(own.value)
                terms[own.term, taken].append(row)
        self._terms, self._alone = list(terms), alone
        self._sums = np.zeros((len(sums), columns))
        for argument, number in sums.items():
            for a, index in argument:
                self._sums[number, place[index]] += a
        # Row by row of a term: which row, and which of the terms' values belongs to it; and the same of each slope.
        self._rows = np.array([row for rows in terms.values() for row in rows], dtype=int)
        self._values = np.array([number for number, rows in enumerate(terms.values()) for _ in rows], dtype=int)
        begins = np.cumsum([0, *(len(taken) for _, taken in self._terms)])
        slopes = [(row, number, begin + way) for (_, taken), rows, begin in zip(self._terms, terms.values(), begins, strict=False)
                  for row in rows for way, number in enumerate(taken)]  # fmt: skip
        self._spots = np.array([row * len(sums) + number for row, number, _ in slopes], dtype=int)
        self._slopes = np.array([at for _, _, at in slopes], dtype=int)

    def __bool__(self) -> bool:
        return bool(self._terms)

    def add(self, y: Array, values: Array, jacobian: Array | None = None) -> None:
        """Add the terms to the rows' values, and their slopes to the Jacobian where there is one."""
        taken = (self._sums @ y).tolist()
        inputs = [tuple([taken[number] for number in numbers]) for _, numbers in self._terms]
        if jacobian is None:
            self._add_values([value(at) for value, at in zip(self._alone, inputs, strict=True)], values)
            return
        found = [term(at) for (term, _), at in zip(self._terms, inputs, strict=True)]
        self._add_values([value for value, _ in found], values)
        slopes = np.array([slope for _, by_input in found for slope in by_input])[self._slopes]
        shape = len(values), len(taken)
        spread = np.bincount(self._spots, slopes, shape[0] * shape[1]).reshape(shape)
        jacobian += np.clip(spread, -_LARGEST, _LARGEST) @ self._sums

    def _add_values(self, terms: list[float], values: Array) -> None:
        """Add the terms' values to those of the rows they stand in."""
        values += np.bincount(self._rows, np.array(terms)[self._values], len(values))


class Sheet:
    """Many formulas over the same few unknowns, worked out together.

    ``columns`` (n,) are the indices of the unknowns; the arrays are over the formulas (m,) and these columns.
    """

    def __init__(self, formulas: Sequence[Formula], columns: Sequence[int]) -> None:
        self.columns = list(columns)
        self._place = {column: place for place, column in enumerate(self.columns)}
        self._constant = np.array([formula.constant for formula in formulas])
        self._lines = np.zeros((len(formulas), len(self.columns)))
        place, lines = self._place, self._lines
        for row, formula in enumerate(formulas):
            for factor, index in formula.lines:
                lines[row, place[index]] += factor
        self._tangents = self._waves([(r, *wave) for r, f in enumerate(formulas) for wave in f.tangents])
        self._sines = self._waves([(r, *wave) for r, f in enumerate(formulas) for wave in f.sines])
        self._others = _Others(formulas, place, len(self.columns))

    @property
    def straight(self) -> bool:
        """Whether every formula is linear, so that one step solves it."""
        return not (self._others or self._tangents or self._sines)

    def _waves(self, waves: Sequence[tuple[int, float, Argument]]) -> _Waves | None:
        return _Waves(waves, self._place, self._lines.shape) if waves else None

    def values(self, y: Array) -> Array:
        """Predictions (m,) alone, at the values ``y`` (n,) of the columns."""
        values = self._constant + self._lines @ y
        for waves, function in ((self._tangents, np.tan), (self._sines, np.sin)):
            if waves is not None:
                values += waves.over_rows(function(waves.arguments @ y))
        if self._others:
            self._others.add(y, values)
        return np.asarray(np.clip(values, -_LARGEST, _LARGEST))

    def at(self, y: Array) -> tuple[Array, Array]:
        """Predictions (m,) and Jacobian (m, n) at the values ``y`` (n,) of the columns."""
        values = self._constant + self._lines @ y
        if self.straight:
            return values, self._lines
        jacobian = self._lines.copy()
        if self._tangents is not None:
            tangent = np.tan(self._tangents.arguments @ y)
            self._tangents.add(tangent, 1.0 + tangent * tangent, values, jacobian)
        if self._sines is not None:
            angle = self._sines.arguments @ y
            self._sines.add(np.sin(angle), np.cos(angle), values, jacobian)
        if self._others:
            self._others.add(y, values, jacobian)
        return np.clip(values, -_LARGEST, _LARGEST), np.clip(jacobian, -_LARGEST, _LARGEST)
