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

from alignment.blocks import Array, Block, split
from alignment.chisquare import survival
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

_RANK_TOLERANCE = 1e-9
"""Singular values of the row-normalised matrix below this share of the largest count as nothing."""
_LONGEST_TURN = 0.3
"""No unknown angle moves by more than this in one step (radians), so that no step jumps past a pole of tan."""
_WITHIN = 1e-7
"""A combination that leaves the determined directions by no more than this share of its length lies within them."""
_STEPS = 80
_HALVINGS = 40
_SETTLED = 1e-11


@dataclass(frozen=True)
class Estimate:
    """A value with its standard uncertainty, in degrees or millimetres."""

    value: float
    u: float


@dataclass(frozen=True)
class Suspect:
    """A reading that disagrees with the others: index in the readings given, and by how much."""

    reading: int
    sigmas: float
    residual: float


def _directions(jacobian: Array, scale: Array) -> Array:
    """Orthonormal basis (n, rank) of the scaled directions that the rows determine (equation 2)."""
    rows = jacobian * scale
    size = np.linalg.norm(rows, axis=1)
    rows = rows[size > 0] / size[size > 0, None]
    used = np.flatnonzero(np.any(rows != 0, axis=0))
    if not len(used):
        return np.zeros((len(scale), 0))
    _, singular, basis = np.linalg.svd(rows[:, used], full_matrices=False)
    rank = int(np.sum(singular > _RANK_TOLERANCE * singular[0]))
    directions = np.zeros((len(scale), rank))
    directions[used] = basis[:rank].T
    return directions


class _Solved:
    """One block at its solution ``y`` (n,), over the ``directions`` (n, rank) that its rows determine."""

    def __init__(self, block: Block) -> None:
        self.block = block
        start = np.zeros(len(block.columns))
        _, jacobian = block.linearise(start, LEVEL)
        self.directions = _directions(jacobian, block.scale)
        self.y = _descend(block, start, self.directions) if self.directions.shape[1] else start
        self.residuals, jacobian = block.misfit(self.y)
        left, singular, right = np.linalg.svd((jacobian * block.scale) @ self.directions, full_matrices=False)
        # A direction that the readings lose at this state (a sine at its crest) becomes very uncertain, not an error.
        floor = singular[0] * 1e-12 if len(singular) else 0.0
        self.spread = right.T / np.maximum(singular, max(floor, 1e-300))
        self.leverage = np.sum(left**2, axis=1)


class Solution:
    """What the readings of one phase say.

    ``layout`` names the unknowns; ``x`` (n,) are their estimates in radians and millimetres, zero along the
    directions that nothing determines.
    """

    def __init__(self, layout: Layout, ground: Ground, readings: Sequence[Reading]) -> None:
        self.layout = layout
        self.ground = ground
        self.readings = readings
        self._solved = [_Solved(block) for block in split(layout, ground, readings)]
        self.x = np.zeros(len(layout.names))
        self._place: dict[int, tuple[int, int]] = {}
        for number, solved in enumerate(self._solved):
            self.x[solved.block.columns] = solved.y
            self._place |= {column: (number, local) for local, column in enumerate(solved.block.columns)}

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

    def estimate(self, combination: Mapping[int, float], *, length: bool) -> Estimate | None:
        """A linear combination of unknowns as a value with its uncertainty, in mm (``length``) or degrees.

        None where the readings do not determine it. An empty combination is zero by definition.
        """
        unit = 1.0 if length else DEG
        parts: dict[int, dict[int, float]] = {}
        for index, factor in combination.items():
            if index not in self._place:
                return None
            number, local = self._place[index]
            parts.setdefault(number, {})[local] = factor
        variance = 0.0
        for number, factors in parts.items():
            part = _variance(self._solved[number], factors)
            if part is None:
                return None
            variance += part
        u = unit * math.sqrt(variance)
        if not u <= (UNDETERMINED_MM if length else UNDETERMINED_DEG):
            return None
        return Estimate(unit * sum(f * float(self.x[i]) for i, f in combination.items()), u)

    def unknown(self, name: str) -> Estimate | None:
        """One unknown by its name. **Raises** KeyError where the layout has none such."""
        index = self.layout.find(name)
        if index is None:
            raise KeyError(f"{name} is not an unknown of this phase")
        return self.estimate({index: 1.0}, length=self.layout.lengths[index])

    def suspects(self) -> list[Suspect]:
        """Readings whose worst standardised residual is beyond the limit, worst first (equation 4)."""
        worst: dict[int, Suspect] = {}
        for solved in self._solved:
            redundancy = 1.0 - solved.leverage
            for row, owner in enumerate(solved.block.owners):
                if owner is None or redundancy[row] < UNCHECKED_REDUNDANCY:
                    continue
                sigmas = abs(solved.residuals[row]) / math.sqrt(redundancy[row])
                if sigmas > SUSPECT_SIGMAS and (owner not in worst or sigmas > worst[owner].sigmas):
                    worst[owner] = Suspect(owner, float(sigmas), float(solved.residuals[row] * solved.block.u[row]))
        return sorted(worst.values(), key=lambda suspect: -suspect.sigmas)


def _variance(solved: _Solved, factors: Mapping[int, float]) -> float | None:
    """Variance of a combination of one block's unknowns, or None where it leaves what the rows determine."""
    locals_ = list(factors)
    scaled = np.array(list(factors.values())) * solved.block.scale[locals_]
    within = scaled @ solved.directions[locals_]
    outside = -(solved.directions @ within)
    outside[locals_] += scaled
    if np.linalg.norm(outside) > _WITHIN * np.linalg.norm(scaled):
        return None
    spread = within @ solved.spread
    return float(spread @ spread)


def solve(vehicle: Vehicle, datum: Datum, readings: Sequence[Reading]) -> Solution:
    """The weighted least-squares adjustment of the readings of one phase (equations 1 to 4).

    Readings may be none or few: what they do not determine stays undetermined, and is never an error.
    """
    layout = Layout(vehicle, datum)
    for reading in readings:
        reading.declare(layout)
    ground = next((r.tilt() for r in readings if isinstance(r, GroundTilt)), LEVEL)
    return Solution(layout, ground, readings)


def _descend(block: Block, x: Array, directions: Array) -> Array:
    """Gauss-Newton from ``x`` (n,) within the directions, each step shortened until the misfit falls (equation 1)."""
    spread = block.scale[:, None] * directions
    residuals, jacobian = block.misfit(x)
    for _ in range(_STEPS):
        step = np.linalg.lstsq(jacobian @ spread, residuals, rcond=1e-13)[0]
        move = spread @ step
        turn = np.max(np.abs(move[block.angles]), initial=0.0)
        move *= _LONGEST_TURN / turn if turn > _LONGEST_TURN else 1.0
        if np.max(np.abs(move) / block.scale) < _SETTLED * (1 + np.max(np.abs(x) / block.scale)):
            break
        for halvings in range(_HALVINGS):
            trial = x + move / 2**halvings
            trial_residuals, trial_jacobian = block.misfit(trial)
            if trial_residuals @ trial_residuals <= residuals @ residuals:
                break
        else:
            break
        x, residuals, jacobian = trial, trial_residuals, trial_jacobian
    return x
