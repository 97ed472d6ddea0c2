"""The adjustment: all readings of one phase solved together by weighted least squares.

Method and equation numbers: docs/method.md. In short, with rows ``l`` of standard uncertainty ``u``, model
``f(x)`` and Jacobian ``J``:

(1) minimise ``Σ ((l - f(x))/u)²`` by Gauss-Newton steps with a line search;
(2) only over the directions that the rows determine, found from ``J`` at the perfect vehicle on level ground;
(3) covariance ``(JᵀWJ)⁻¹`` over those directions, never rescaled by the residuals;
(4) redundancy number of a row ``r = 1 - h`` with ``h`` its leverage; standardised residual ``v/(u·√r)``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from alignment.estimate.block_solution import Adjusted, Source
from alignment.estimate.blocks import Structure, structure_of, within
from alignment.estimate.chisquare import survival
from alignment.model.formula import Array
from alignment.model.state import DEG, LEVEL, Ground, Layout, State
from alignment.model.vehicle import Datum, Vehicle
from alignment.readings.base import Reading
from alignment.readings.ground import GroundTilt

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

INSEPARABLE = 0.9
AS_GUILTY_SIGMAS = 1.0
"""Two tests correlated by at least the first, whose residuals differ by less than the second, cannot be told apart: both
readings are named. At that correlation a difference of one sigma is chance in one case of forty."""


class Estimate(NamedTuple):
    """A value with its standard uncertainty, in degrees or millimetres."""

    value: float
    u: float


class Suspect(NamedTuple):
    """A reading that disagrees with the others: index in the readings given, and by how much.

    ``residual`` is in the row's own unit, and ``slip`` what the row is wrong by if this reading alone is: part of a slip goes
    into the estimates, and only the rest stays in the residual. ``alike`` are readings that may just as well be the cause.
    """

    reading: int
    sigmas: float
    residual: float
    alike: tuple[int, ...] = ()
    slip: float = 0.0


class Gains(NamedTuple):
    """What carries one result. ``rows``: by how much it moves for a unit of each row, by the row's number in the phase.
    ``assumed``: what each unknown that was assumed adds to its doubt, as a standard uncertainty, by index. ``variances``: what
    of its variance each row brings, by number; rows that are known together share what they bring together.
    """

    rows: dict[int, float]
    assumed: dict[int, float]
    variances: dict[int, float]


class _Doubt(NamedTuple):
    """One row's standardised residual."""

    sigmas: float
    owner: int
    solved: Adjusted
    row: int

    @property
    def residual(self) -> float:
        return float(self.solved.off[self.row])

    @property
    def slip(self) -> float:
        """What the row is wrong by if it alone is."""
        return float(self.solved.slips[self.row])


class Solution:
    """What the readings of one phase say.

    ``layout`` names the unknowns; ``x`` (n,) are their estimates in radians and millimetres, as on the perfect vehicle along
    the directions that nothing determines.
    """

    def __init__(self, structure: Structure, readings: Sequence[Reading]) -> None:
        self.structure = structure
        self.readings = readings
        self.x = np.array(structure.resting)
        self._solved: list[Adjusted] = []
        self.sources: list[Source] = []
        values, weights = structure.observed(readings)
        for number, block in enumerate(structure.blocks):
            for assumed in block.assumed:
                self.x[assumed.unknown] = assumed.value
            solved = Adjusted(block, values, weights, self.x[block.given].tolist())
            self.x[block.free] = solved.y
            if block.given:
                self.sources = [solved.carried(number, s, self._columns(s)) for s in self.sources]
            self._solved.append(solved)
            self.sources += solved.own_sources(number)

    def _columns(self, source: Source) -> list[int]:
        return [column for number in source.blocks for column in self.structure.blocks[number].free]

    def told_too_weakly(self) -> frozenset[int]:
        """Unknowns with a prior that the rows determine so poorly that they count as undetermined."""
        return frozenset(
            index
            for solved in self._solved
            for index in solved.block.told
            if DEG * solved.own_u(solved.block.free.index(index)) > UNDETERMINED_DEG
        )

    @property
    def layout(self) -> Layout:
        """The names of the unknowns."""
        return self.structure.layout

    @property
    def ground(self) -> Ground:
        """What the vehicle stands on."""
        return self.structure.ground

    @property
    def state(self) -> State:
        """The estimated state on its ground."""
        return State(self.layout, self.x.tolist(), self.ground)

    @property
    def rank(self) -> int:
        """How many independent directions the rows determine."""
        return sum(int(block.directions.shape[1]) for block in self.structure.blocks)

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

    def estimate(self, combination: Mapping[int, float], *, length: bool) -> Estimate | None:
        """One linear combination of unknowns, as ``Readout`` gives many."""
        return Readout(self.structure, [combination], [length]).of(self)[0]

    def unknown(self, name: str) -> Estimate | None:
        """One unknown by its name. **Raises** KeyError where the layout has none such."""
        index = self.layout.find(name)
        if index is None:
            raise KeyError(f"{name} is not an unknown of this phase")
        return self.estimate({index: 1.0}, length=self.layout.lengths[index])

    def gains(self, combination: Mapping[int, float]) -> Gains:
        """What carries a linear combination of unknowns: by how much it moves for each row, and what its assumptions add.

        ``combination`` is of determined unknowns, by index; the answers are in radians or millimetres.
        """
        found: dict[int, float] = {}
        variances: dict[int, float] = {}
        assumed: dict[int, float] = {}
        for source in self.sources:
            columns = self._columns(source)
            wanted = np.array([combination.get(column, 0.0) for column in columns])
            moved = wanted @ source.factors
            if source.assumed is not None:
                assumed[source.assumed] = assumed.get(source.assumed, 0.0) + float(moved[0]) ** 2
                continue
            solved = self._solved[source.blocks[0]]
            rows, along = solved.block.rows.tolist(), solved.reach @ moved
            by_row = solved.weights.back(along)
            found |= dict(zip(rows, by_row.tolist(), strict=True))
            variances |= dict(zip(rows, (by_row * solved.weights.colour(along)).tolist(), strict=True))
        return Gains(found, {unknown: variance**0.5 for unknown, variance in assumed.items()}, variances)

    def suspects(self) -> list[Suspect]:
        """Readings whose worst standardised residual is beyond the limit, worst first (equation 4)."""
        worst: dict[int, _Doubt] = {}
        for doubt in self._doubts():
            if doubt.owner not in worst or doubt.sigmas > worst[doubt.owner].sigmas:
                worst[doubt.owner] = doubt
        # Equal ones in the order of the readings, whatever the last digits say.
        ranked = sorted(worst.values(), key=lambda doubt: (-round(doubt.sigmas, 6), doubt.owner))
        return [Suspect(d.owner, d.sigmas, d.residual, tuple(_alike(d, ranked)), d.slip) for d in ranked]

    def _doubts(self) -> list[_Doubt]:
        found = []
        for solved in self._solved:
            checked, sigmas = solved.redundancy >= UNCHECKED_REDUNDANCY, solved.sigmas
            for row in np.flatnonzero(checked & (sigmas > SUSPECT_SIGMAS)).tolist():
                owner = solved.block.owners[row]
                if owner is not None:
                    found.append(_Doubt(float(sigmas[row]), owner, solved, row))
        return found

    def redundancies(self, reading: int) -> list[float]:
        """Redundancy numbers of a reading's rows, in their order: how much of a slip shows in the row's own residual."""
        found = {}
        for solved in self._solved:
            for row, owner in enumerate(solved.block.owners):
                if owner == reading:
                    found[int(solved.block.rows[row])] = float(solved.redundancy[row])
        return [found[row] for row in sorted(found)]

    def inseparable_from(self, reading: int) -> list[int]:
        """Readings of which a slip could be taken for one of this reading, whatever they say: their tests go together."""
        found: set[int] = set()
        for solved in self._solved:
            checked = np.flatnonzero(solved.redundancy >= UNCHECKED_REDUNDANCY).tolist()
            rows = [(row, owner) for row in checked if (owner := solved.block.owners[row]) is not None]
            for row in (row for row, owner in rows if owner == reading):
                found.update(
                    owner for other, owner in rows if other != row and solved.inseparable(row, other, INSEPARABLE)
                )
        return sorted(found - {reading})

    def unchecked(self) -> list[int]:
        """Readings of which no row can be checked against the others, by index."""
        checked: set[int] = set()
        for solved in self._solved:
            rows = np.flatnonzero(solved.redundancy >= UNCHECKED_REDUNDANCY)
            checked.update(owner for owner in (solved.block.owners[row] for row in rows) if owner is not None)
        return [i for i, reading in enumerate(self.readings) if i not in checked and reading.ON_AXLE]


def _alike(doubt: _Doubt, others: Sequence[_Doubt]) -> list[int]:
    """Owners of other doubts that these readings cannot tell from this one."""
    return [
        other.owner
        for other in others
        if other is not doubt
        and other.solved is doubt.solved
        and abs(doubt.sigmas - other.sigmas) < AS_GUILTY_SIGMAS
        and doubt.solved.inseparable(doubt.row, other.row, INSEPARABLE)
    ]


class Readout:
    """Linear combinations of a structure's unknowns, to be read off any solution of it.

    ``lengths`` says which come in millimetres, the others in degrees. An empty combination is zero by definition.
    ``known`` says which lie within what the rows determine.
    """

    def __init__(
        self, structure: Structure, combinations: Sequence[Mapping[int, float]], lengths: Sequence[bool]
    ) -> None:
        self._structure = structure
        self._unit = np.where(np.array(lengths, dtype=bool), 1.0, DEG)
        self._limit = np.where(np.array(lengths, dtype=bool), UNDETERMINED_MM, UNDETERMINED_DEG)
        self._parts: dict[int, list[tuple[int, float]]] = {}
        for number, combination in enumerate(combinations):
            for index, factor in combination.items():
                self._parts.setdefault(index, []).append((number, factor))
        self._gathered: dict[tuple[int, ...], tuple[list[int], Array]] = {}
        self.known = self._determined()

    def _gather(self, blocks: tuple[int, ...]) -> tuple[list[int], Array]:
        """The combinations that use free unknowns of some blocks: their numbers (k,), and their factors (k, n)."""
        if blocks not in self._gathered:
            columns = [column for number in blocks for column in self._structure.blocks[number].free]
            uses = [(number, local, f) for local, c in enumerate(columns) for number, f in self._parts.get(c, ())]
            place = {number: row for row, number in enumerate(dict.fromkeys(number for number, _, _ in uses))}
            matrix = np.zeros((len(place), len(columns)))
            for number, local, factor in uses:
                matrix[place[number], local] += factor
            self._gathered[blocks] = list(place), matrix
        return self._gathered[blocks]

    def _determined(self) -> NDArray[np.bool_]:
        """Which of the combinations lie within what the rows determine (equation 2)."""
        known = np.ones(len(self._unit), dtype=bool)
        seen: set[int] = set()
        for number, block in enumerate(self._structure.blocks):
            seen.update(block.free)
            rows, matrix = self._gather((number,)) if not block.whole else ([], None)
            if matrix is not None and rows:
                known[rows] &= within(matrix * block.scale, block.directions)
        for index, uses in self._parts.items():
            if index not in seen:
                known[[number for number, _ in uses]] = False
        return known

    def of(self, solution: Solution) -> list[Estimate | None]:
        """The combinations' values and uncertainties, None where not determined or worse than the contract's limit."""
        variance, values = np.zeros(len(self._unit)), np.zeros(len(self._unit))
        for source in solution.sources:
            rows, matrix = self._gather(source.blocks)
            if rows:
                moved = matrix @ source.factors
                variance[rows] += np.einsum("ij,ij->i", moved, moved)
        for number, block in enumerate(self._structure.blocks):
            rows, matrix = self._gather((number,))
            if rows:
                values[rows] += matrix @ solution.x[block.free]
        u = self._unit * np.sqrt(variance)
        fine = self.known & (u <= self._limit)
        rows_ = zip((self._unit * values).tolist(), u.tolist(), fine.tolist(), strict=True)
        return [Estimate(value, size) if known else None for value, size, known in rows_]


def solve(vehicle: Vehicle, datum: Datum, readings: Sequence[Reading]) -> Solution:
    """The weighted least-squares adjustment of the readings of one phase (equations 1 to 4).

    Readings may be none or few: what they do not determine stays undetermined, and is never an error.
    """
    # Every reading is asked, and isinstance is slow where a class is abstract.
    ground = next((r.tilt() for r in readings if type(r) is GroundTilt), LEVEL)
    solution = Solution(structure_of(vehicle, datum, ground, readings), readings)
    weak = solution.told_too_weakly()
    if weak:
        solution = Solution(Structure(Layout(vehicle, datum), ground, readings, weak), readings)
    return solution
