"""The equations of a phase, split into blocks that share no unknown, so that each can be solved by itself.

A van is one block. A file of a thousand axles is many: the work grows with their number, not with its cube.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from alignment.readings.base import Observed, Reading
from alignment.state import DEG, Ground, Layout, Prediction, State
from alignment.vehicle import Axle

Array = NDArray[np.float64]

RIGID_TIE_U_DEG = 0.005
"""Standard uncertainty of the tie between bearing and setback of a rigid axle (the job file's contract)."""

_ANGLE_SCALE = 1.0 / DEG
_LENGTH_SCALE = 10.0
"""Typical sizes of the unknowns, a degree and a centimetre: they make the columns comparable, no more."""
_SMALLEST_U = 1e-9
"""A number said to be known better than this counts as known this well: a nanometre, a billionth of a degree."""
_LARGEST = 1e60
"""Slopes and predictions beyond this (a track of a billionth of a nanometre) are cut, so that squares stay finite."""
_COMFORTABLE = 64
"""Small blocks are solved together up to this many unknowns: fewer, larger matrices are faster."""


class Equations(Protocol):
    """One or more rows: a reading, or a rigid tie."""

    def observed(self) -> tuple[Observed, ...]:
        """The numbers that the rows compare."""

    def predict(self, state: State) -> tuple[Prediction, ...]:
        """The same numbers in a given state."""


class RigidTie:
    """``tan b = s / track`` on a rigid axle, as a row in degrees."""

    def __init__(self, axle: Axle) -> None:
        self.axle = axle

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(0.0, RIGID_TIE_U_DEG),)

    def predict(self, state: State) -> tuple[Prediction, ...]:
        at, track = state.layout.setback(self.axle.number), self.axle.track_mm
        setback = state.x[at]
        tie = state.predict().linear(-DEG, state.layout.bearing(self.axle.number))
        # The slope of atan(s/w) against s is w/(w² + s²), written so that it cannot overflow.
        by_setback = DEG * (track / math.hypot(track, setback)) / math.hypot(track, setback)
        return (tie.add(DEG * math.atan2(setback, track), ((at, by_setback),)),)


class Block:
    """Equations and the unknowns that they alone share.

    ``columns`` (n,) are indices of the layout's unknowns; every array is over these and over the block's rows (m,).
    ``owners`` says for each row which reading it belongs to, None for a tie.
    """

    def __init__(
        self, layout: Layout, ground: Ground, equations: Sequence[tuple[int | None, Equations]], columns: Sequence[int]
    ) -> None:
        self.columns = list(columns)
        self.ground = ground
        self._layout = layout
        self._local = {column: index for index, column in enumerate(self.columns)}
        self._equations = [equation for _, equation in equations]
        rows = [(owner, observed) for owner, equation in equations for observed in equation.observed()]
        self.owners = [owner for owner, _ in rows]
        self.values = np.array([observed.value for _, observed in rows])
        self.u = np.maximum(np.array([observed.u for _, observed in rows]), _SMALLEST_U)
        lengths = [layout.lengths[column] for column in self.columns]
        self.scale = np.array([_LENGTH_SCALE if length else _ANGLE_SCALE for length in lengths])
        self.angles = ~np.array(lengths, dtype=bool)

    def linearise(self, y: Array, ground: Ground) -> tuple[Array, Array]:
        """Predictions (m,) and Jacobian (m, n) at the block's unknowns ``y`` (n,), in the rows' own units."""
        state = State.sparse(self._layout, zip(self.columns, y.tolist(), strict=True), ground)
        predictions = [p for equation in self._equations for p in equation.predict(state)]
        jacobian = np.zeros((len(predictions), len(self.columns)))
        for row, prediction in enumerate(predictions):
            for index, slope in prediction.slopes.items():
                jacobian[row, self._local[index]] = slope
        values = np.array([p.value for p in predictions])
        return np.clip(values, -_LARGEST, _LARGEST), np.clip(jacobian, -_LARGEST, _LARGEST)

    def misfit(self, y: Array) -> tuple[Array, Array]:
        """Weighted residuals (m,) and weighted Jacobian (m, n) at ``y``."""
        values, jacobian = self.linearise(y, self.ground)
        return (self.values - values) / self.u, jacobian / self.u[:, None]


def split(layout: Layout, ground: Ground, readings: Sequence[Reading]) -> list[Block]:
    """The blocks of a phase: readings and the vehicle's rigid ties, joined where their predictions share an unknown."""
    ties = [RigidTie(axle) for axle in layout.vehicle.axles if axle.rigid]
    equations: list[tuple[int | None, Equations]] = [*enumerate(readings), *((None, tie) for tie in ties)]
    state = State(layout, ground=ground)
    touched = [[index for row in e.predict(state) for index in row.slopes] for _, e in equations]
    roots = _Roots()
    for indices in touched:
        roots.join(indices)
    members: dict[int, list[tuple[int | None, Equations]]] = {}
    for equation, indices in zip(equations, touched, strict=True):
        if indices:
            members.setdefault(roots.of(indices[0]), []).append(equation)
    columns: dict[int, list[int]] = {}
    for index in sorted(roots.known()):
        columns.setdefault(roots.of(index), []).append(index)
    return [Block(layout, ground, *packed) for packed in _packed(members, columns)]


def _packed(
    members: dict[int, list[tuple[int | None, Equations]]], columns: dict[int, list[int]]
) -> Iterable[tuple[list[tuple[int | None, Equations]], list[int]]]:
    equations: list[tuple[int | None, Equations]] = []
    unknowns: list[int] = []
    for root, own in members.items():
        if unknowns and len(unknowns) + len(columns[root]) > _COMFORTABLE:
            yield equations, unknowns
            equations, unknowns = [], []
        equations = equations + own
        unknowns = unknowns + columns[root]
    if unknowns:
        yield equations, unknowns


class _Roots:
    """Disjoint sets of indices, each known by its root."""

    def __init__(self) -> None:
        self._parent: dict[int, int] = {}

    def of(self, index: int) -> int:
        """The root of an index; the path to it is halved on the way."""
        parent = self._parent
        parent.setdefault(index, index)
        while parent[index] != index:
            parent[index] = parent[parent[index]]
            index = parent[index]
        return index

    def join(self, indices: Sequence[int]) -> None:
        """Put all of the indices into one set."""
        for index in indices:
            self._parent[self.of(index)] = self.of(indices[0])

    def known(self) -> Iterable[int]:
        """Every index that was joined."""
        return self._parent.keys()
