"""The adjustment: all readings of one phase solved together by weighted least squares.

Method and equation numbers: docs/method.md. In short, with rows ``l`` of standard uncertainty ``u``, model
``f(x)`` and Jacobian ``J``:

(1) minimise ``Σ ((l - f(x))/u)²`` by Gauss-Newton steps with a line search;
(2) only over the directions that the rows determine, found from ``J`` at the perfect vehicle on level ground;
(3) covariance ``(JᵀWJ)⁻¹`` over those directions, never rescaled by the residuals;
(4) redundancy number of a row ``r = 1 - h`` with ``h`` its leverage; standardised residual ``v/(u·√r)``.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from alignment.adjusted import Adjusted, Source, within
from alignment.blocks import split
from alignment.chisquare import survival
from alignment.formula import Array
from alignment.readings.base import Reading
from alignment.readings.ground import GroundTilt
from alignment.state import DEG, LEVEL, Ground, Layout, State
from alignment.vehicle import Datum, Vehicle

UNDETERMINED_DEG = 5.0
"""An angle known no better than this counts as undetermined (the job file's contract)."""
UNDETERMINED_MM = 100.0
"""A length known no better than this counts as undetermined (the job file's contract)."""
SUSPECT_SIGMAS = 3.5
"""A standardised residual beyond this makes its reading a suspect (the job file's contract)."""
UNCHECKED_REDUNDANCY = 0.001
"""Rows with a smaller redundancy number cannot be checked (the job file's contract)."""
CONSISTENT_AT = 0.001
"""Level of the global chi-square test: 99.9 % (the job file's contract)."""

INSEPARABLE = 0.999
"""Two tests correlated by more than this cannot be told apart: both readings are named."""


@dataclass(frozen=True)
class Estimate:
    """A value with its standard uncertainty, in degrees or millimetres."""

    value: float
    u: float


@dataclass(frozen=True)
class Suspect:
    """A reading that disagrees with the others: index in the readings given, and by how much.

    ``residual`` is in the row's own unit; ``alike`` are readings that may just as well be the cause.
    """

    reading: int
    sigmas: float
    residual: float
    alike: tuple[int, ...] = ()


@dataclass(frozen=True)
class _Doubt:
    """One row's standardised residual."""

    sigmas: float
    owner: int
    solved: Adjusted
    row: int

    @property
    def residual(self) -> float:
        return float(self.solved.residuals[self.row] * self.solved.block.u[self.row])


class Solution:
    """What the readings of one phase say.

    ``layout`` names the unknowns; ``x`` (n,) are their estimates in radians and millimetres, zero along the
    directions that nothing determines.
    """

    def __init__(self, layout: Layout, ground: Ground, readings: Sequence[Reading]) -> None:
        self.layout = layout
        self.ground = ground
        self.readings = readings
        self.x = np.zeros(len(layout.names))
        self._solved: list[Adjusted] = []
        self._sources: list[Source] = []
        for block in split(layout, ground, readings):
            solved = Adjusted(block, self.x[block.given].tolist())
            self.x[solved.columns] = solved.y
            for assumed in solved.assumed:
                self.x[assumed.index] = assumed.value
            carried = [solved.carried(source) for source in self._sources] if block.given else self._sources
            self._solved.append(solved)
            self._sources = [*carried, *solved.own_sources()]

    @property
    def state(self) -> State:
        """The estimated state on its ground."""
        return State(self.layout, self.x.tolist(), self.ground)

    @property
    def rank(self) -> int:
        """How many independent directions the rows determine."""
        return sum(int(solved.directions.shape[1]) for solved in self._solved)

    @property
    def redundancy(self) -> int:
        """Rows, rigid ties included, less rank."""
        return sum(len(solved.residuals) for solved in self._solved) - self.rank

    @property
    def chi_square(self) -> float:
        """Sum of the squared weighted residuals."""
        return sum(float(solved.residuals @ solved.residuals) for solved in self._solved)

    @property
    def consistent(self) -> bool:
        """The global test at 99.9 %; true where there is nothing to check."""
        return self.redundancy <= 0 or survival(self.chi_square, self.redundancy) >= CONSISTENT_AT

    def estimates(self, combinations: Sequence[Mapping[int, float]], lengths: Sequence[bool]) -> list[Estimate | None]:
        """Linear combinations of unknowns as values with their uncertainties, in mm where ``lengths`` says so, or degrees.

        None where the readings do not determine one, or no better than the contract's limit. An empty combination is
        zero by definition.
        """
        parts: dict[int, list[tuple[int, float]]] = {}
        for number, combination in enumerate(combinations):
            for index, factor in combination.items():
                parts.setdefault(index, []).append((number, factor))
        known = self._determined(parts, len(combinations))
        variance = np.zeros(len(combinations))
        for source in self._sources:
            rows, matrix = _gather(parts, source.columns)
            if len(rows):
                moved = matrix @ source.factors
                variance[rows] += np.einsum("ij,ij->i", moved, moved)
        values = np.zeros(len(combinations))
        for index, uses in parts.items():
            for number, factor in uses:
                values[number] += factor * self.x[index]
        found: list[Estimate | None] = []
        sizes = np.sqrt(variance).tolist()
        for value, u, length, fine in zip(values.tolist(), sizes, lengths, known, strict=True):
            unit, limit = (1.0, UNDETERMINED_MM) if length else (DEG, UNDETERMINED_DEG)
            found.append(Estimate(unit * value, unit * u) if fine and unit * u <= limit else None)
        return found

    def _determined(self, parts: Mapping[int, list[tuple[int, float]]], count: int) -> list[bool]:
        """Which of so many combinations lie within what the rows determine."""
        known = np.ones(count, dtype=bool)
        seen: set[int] = set()
        for solved in self._solved:
            seen.update(solved.columns)
            if solved.directions.shape[0] == solved.directions.shape[1]:
                continue
            rows, matrix = _gather(parts, solved.columns)
            if len(rows):
                known[rows] &= within(matrix * solved.scale, solved.directions)
        for index, uses in parts.items():
            if index not in seen:
                known[[number for number, _ in uses]] = False
        return [bool(fine) for fine in known]

    def estimate(self, combination: Mapping[int, float], *, length: bool) -> Estimate | None:
        """One linear combination of unknowns, as ``estimates`` gives it."""
        return self.estimates([combination], [length])[0]

    def unknown(self, name: str) -> Estimate | None:
        """One unknown by its name. **Raises** KeyError where the layout has none such."""
        index = self.layout.find(name)
        if index is None:
            raise KeyError(f"{name} is not an unknown of this phase")
        return self.estimate({index: 1.0}, length=self.layout.lengths[index])

    def suspects(self) -> list[Suspect]:
        """Readings whose worst standardised residual is beyond the limit, worst first (equation 4)."""
        worst: dict[int, _Doubt] = {}
        for doubt in self._doubts():
            if doubt.owner not in worst or doubt.sigmas > worst[doubt.owner].sigmas:
                worst[doubt.owner] = doubt
        ranked = sorted(worst.values(), key=lambda doubt: -doubt.sigmas)
        return [Suspect(d.owner, d.sigmas, d.residual, tuple(_alike(d, ranked))) for d in ranked]

    def _doubts(self) -> list[_Doubt]:
        found = []
        for solved in self._solved:
            redundancy = 1.0 - solved.leverage
            for row, owner in enumerate(solved.block.owners):
                if owner is None or redundancy[row] < UNCHECKED_REDUNDANCY:
                    continue
                sigmas = abs(float(solved.residuals[row])) / math.sqrt(redundancy[row])
                if sigmas > SUSPECT_SIGMAS:
                    found.append(_Doubt(sigmas, owner, solved, row))
        return found

    def unchecked(self) -> list[int]:
        """Readings of which no row can be checked against the others, by index."""
        checked: set[int] = set()
        for solved in self._solved:
            rows = np.flatnonzero(1.0 - solved.leverage >= UNCHECKED_REDUNDANCY)
            checked.update(owner for owner in (solved.block.owners[row] for row in rows) if owner is not None)
        return [i for i, reading in enumerate(self.readings) if i not in checked and reading.KIND != GroundTilt.KIND]


def _alike(doubt: _Doubt, others: Sequence[_Doubt]) -> list[int]:
    """Owners of other doubts that these readings cannot tell from this one."""
    return [
        other.owner
        for other in others
        if other is not doubt
        and other.solved is doubt.solved
        and doubt.solved.inseparable(doubt.row, other.row, INSEPARABLE)
    ]


def _gather(parts: Mapping[int, list[tuple[int, float]]], columns: Sequence[int]) -> tuple[list[int], Array]:
    """The combinations that use some of the columns: their numbers (k,), and their factors (k, len(columns))."""
    uses = [(number, local, f) for local, column in enumerate(columns) for number, f in parts.get(column, ())]
    place = {number: row for row, number in enumerate(dict.fromkeys(number for number, _, _ in uses))}
    matrix = np.zeros((len(place), len(columns)))
    for number, local, factor in uses:
        matrix[place[number], local] += factor
    return list(place), matrix


def solve(vehicle: Vehicle, datum: Datum, readings: Sequence[Reading]) -> Solution:
    """The weighted least-squares adjustment of the readings of one phase (equations 1 to 4).

    Readings may be none or few: what they do not determine stays undetermined, and is never an error.
    """
    layout = Layout(vehicle, datum)
    for reading in readings:
        reading.declare(layout)
    ground = next((r.tilt() for r in readings if isinstance(r, GroundTilt)), LEVEL)
    return Solution(layout, ground, readings)
