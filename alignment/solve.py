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
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from alignment.chisquare import survival
from alignment.readings.base import Observed, Reading
from alignment.readings.ground import GroundTilt
from alignment.state import DEG, LEVEL, Ground, Layout, Prediction, State
from alignment.vehicle import Axle, Datum, Vehicle

Array = NDArray[np.float64]

RIGID_TIE_U_DEG = 0.005
"""Standard uncertainty of the tie between bearing and setback of a rigid axle (the job file's contract)."""
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

_ANGLE_SCALE = 1.0 / DEG
_LENGTH_SCALE = 10.0
"""Typical sizes of the unknowns, a degree and a centimetre: they make the columns comparable, no more."""
_RANK_TOLERANCE = 1e-9
"""Singular values of the row-normalised matrix below this share of the largest count as nothing."""
_LONGEST_TURN = 0.3
"""No unknown angle moves by more than this in one step (radians), so that no step jumps past a pole of tan."""
_SMALLEST_U = 1e-9
"""A number said to be known better than this counts as known this well: a nanometre, a billionth of a degree."""
_LARGEST = 1e60
"""Slopes and predictions beyond this (a track of a billionth of a nanometre) are cut, so that squares stay finite."""
_STEPS = 80
_HALVINGS = 40
_SETTLED = 1e-11


@dataclass(frozen=True)
class Row:
    """One equation: a number observed, and its prediction from a state. ``reading`` is None for a rigid tie."""

    reading: int | None
    observed: Observed
    model: Callable[[State], Prediction]


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


def _tie(axle: Axle) -> Row:
    def model(state: State) -> Prediction:
        setback, track = state.x[state.layout.setback(axle.number)], axle.track_mm
        tie = state.predict().linear(-DEG, state.layout.bearing(axle.number))
        # The slope of atan(s/w) against s is w/(w² + s²), written so that it cannot overflow.
        by_setback = DEG * (track / math.hypot(track, setback)) / math.hypot(track, setback)
        return tie.add(DEG * math.atan2(setback, track), ((state.layout.setback(axle.number), by_setback),))

    return Row(None, Observed(0.0, RIGID_TIE_U_DEG), model)


class _System:
    """The rows of a phase over one layout, and their arrays."""

    def __init__(self, vehicle: Vehicle, datum: Datum, readings: Sequence[Reading]) -> None:
        self.layout = Layout(vehicle, datum)
        self.ground = next((r.tilt() for r in readings if isinstance(r, GroundTilt)), LEVEL)
        self.readings = readings
        for reading in readings:
            reading.declare(self.layout)
        self.ties = [_tie(axle) for axle in vehicle.axles if axle.rigid]
        self.owners: list[int | None] = []
        observed: list[Observed] = []
        for index, reading in enumerate(readings):
            rows = reading.observed()
            observed += rows
            self.owners += [index] * len(rows)
        observed += [tie.observed for tie in self.ties]
        self.owners += [None] * len(self.ties)
        self.values = np.array([row.value for row in observed])
        self.u = np.maximum(np.array([row.u for row in observed]), _SMALLEST_U)
        self.scale = np.array([_LENGTH_SCALE if length else _ANGLE_SCALE for length in self.layout.lengths])
        self.angles = ~np.array(self.layout.lengths, dtype=bool)

    def linearise(self, x: Array, ground: Ground) -> tuple[Array, Array]:
        """Predictions (m,) and Jacobian (m, n) at ``x``, in the rows' own units."""
        state = State(self.layout, x.tolist(), ground)
        predictions = [p for reading in self.readings for p in reading.predict(state)]
        predictions += [tie.model(state) for tie in self.ties]
        jacobian = np.zeros((len(predictions), len(x)))
        for row, prediction in enumerate(predictions):
            for index, slope in prediction.slopes.items():
                jacobian[row, index] = slope
        values = np.array([p.value for p in predictions])
        return np.clip(values, -_LARGEST, _LARGEST), np.clip(jacobian, -_LARGEST, _LARGEST)

    def misfit(self, x: Array) -> tuple[Array, Array]:
        """Weighted residuals (m,) and weighted Jacobian (m, n) at ``x``."""
        values, jacobian = self.linearise(x, self.ground)
        return (self.values - values) / self.u, jacobian / self.u[:, None]


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


class Solution:
    """What the readings of one phase say.

    ``layout`` names the unknowns; ``x`` (n,) are their estimates in radians and millimetres, zero along the
    directions that nothing determines.
    """

    def __init__(self, system: _System, x: Array, directions: Array) -> None:
        self.layout = system.layout
        self.x = x
        self.readings = system.readings
        self.ground = system.ground
        self._owners = system.owners
        self._scale = system.scale
        self._directions = directions
        self._residuals, jacobian = system.misfit(x)
        self._u = system.u
        design = (jacobian * system.scale) @ directions
        left, singular, right = np.linalg.svd(design, full_matrices=False)
        # A direction that the readings lose at this state (a sine at its crest) becomes very uncertain, not an error.
        floor = singular[0] * 1e-12 if len(singular) else 0.0
        singular = np.maximum(singular, max(floor, 1e-300))
        self._spread = right.T / singular
        self._leverage = np.sum(left**2, axis=1)

    @property
    def state(self) -> State:
        """The estimated state on its ground."""
        return State(self.layout, self.x.tolist(), self.ground)

    @property
    def rank(self) -> int:
        """How many independent directions the rows determine."""
        return int(self._directions.shape[1])

    @property
    def redundancy(self) -> int:
        """Rows, rigid ties included, less rank."""
        return len(self._residuals) - self.rank

    @property
    def chi_square(self) -> float:
        """Sum of the squared weighted residuals."""
        return float(self._residuals @ self._residuals)

    @property
    def consistent(self) -> bool:
        """The global test at 99.9 %; true where there is nothing to check."""
        return self.redundancy <= 0 or survival(self.chi_square, self.redundancy) >= CONSISTENT_AT

    @cached_property
    def state_factor(self) -> Array:
        """``F`` (n, rank) with covariance ``F·Fᵀ`` of the unknowns, radians and millimetres (equation 3)."""
        factor: Array = self._scale[:, None] * (self._directions @ self._spread)
        return factor

    def estimate(self, combination: Mapping[int, float], *, length: bool) -> Estimate | None:
        """A linear combination of unknowns as a value with its uncertainty, in mm (``length``) or degrees.

        None where the readings do not determine it. An empty combination is zero by definition.
        """
        unit = 1.0 if length else DEG
        if not combination:
            return Estimate(0.0, 0.0)
        scaled = np.zeros(len(self.x))
        for index, factor in combination.items():
            scaled[index] = factor * self._scale[index]
        within = scaled @ self._directions
        outside = scaled - self._directions @ within
        if np.linalg.norm(outside) > 1e-7 * np.linalg.norm(scaled):
            return None
        u = unit * float(np.linalg.norm(within @ self._spread))
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
        redundancy = 1.0 - self._leverage
        for row, owner in enumerate(self._owners):
            if owner is None or redundancy[row] < UNCHECKED_REDUNDANCY:
                continue
            sigmas = abs(self._residuals[row]) / math.sqrt(redundancy[row])
            if sigmas > SUSPECT_SIGMAS and (owner not in worst or sigmas > worst[owner].sigmas):
                worst[owner] = Suspect(owner, float(sigmas), float(self._residuals[row] * self._u[row]))
        return sorted(worst.values(), key=lambda suspect: -suspect.sigmas)


def solve(vehicle: Vehicle, datum: Datum, readings: Sequence[Reading]) -> Solution:
    """The weighted least-squares adjustment of the readings of one phase (equations 1 to 4).

    Readings may be none or few: what they do not determine stays undetermined, and is never an error.
    """
    system = _System(vehicle, datum, readings)
    start = np.zeros(len(system.layout.names))
    _, jacobian = system.linearise(start, LEVEL)
    directions = _directions(jacobian, system.scale)
    if directions.shape[1] == 0:
        return Solution(system, start, directions)
    return Solution(system, _descend(system, start, directions), directions)


def _descend(system: _System, x: Array, directions: Array) -> Array:
    """Gauss-Newton from ``x`` (n,) within the directions, each step shortened until the misfit falls (equation 1)."""
    spread = system.scale[:, None] * directions
    residuals, jacobian = system.misfit(x)
    for _ in range(_STEPS):
        step = np.linalg.lstsq(jacobian @ spread, residuals, rcond=1e-13)[0]
        move = spread @ step
        turn = np.max(np.abs(move[system.angles]), initial=0.0)
        move *= _LONGEST_TURN / turn if turn > _LONGEST_TURN else 1.0
        if np.max(np.abs(move) / system.scale) < _SETTLED * (1 + np.max(np.abs(x) / system.scale)):
            break
        for halvings in range(_HALVINGS):
            trial = x + move / 2**halvings
            trial_residuals, trial_jacobian = system.misfit(trial)
            if trial_residuals @ trial_residuals <= residuals @ residuals:
                break
        else:
            break
        x, residuals, jacobian = trial, trial_residuals, trial_jacobian
    return x
