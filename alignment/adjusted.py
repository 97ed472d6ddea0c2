"""One block of equations at its least-squares solution, with the factors of its covariance."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from alignment.blocks import Block
from alignment.formula import Array

_RANK_TOLERANCE = 1e-9
"""Singular values of the row-normalised matrix below this share of the largest count as nothing."""
_LONGEST_TURN = 0.3
"""No unknown angle moves by more than this in one step (radians), so that no step jumps past a pole of tan."""
_WITHIN = 1e-7
"""A combination that leaves the determined directions by no more than this share of its length lies within them."""
_STEPS = 80
_HALVINGS = 40
_SETTLED = 1e-11
_FLOOR = 1e-12
"""A direction that the readings lose at this state (a sine at its crest) becomes this much weaker than the others."""


@dataclass(frozen=True)
class Source:
    """Independent errors of unit variance, and how they move unknowns: ``factors`` (len(columns), k)."""

    columns: list[int]
    factors: Array


def determined_directions(jacobian: Array, scale: Array) -> Array:
    """Orthonormal basis (n, rank) of the scaled directions that the rows determine (equation 2)."""
    rows = jacobian * scale
    size = np.sqrt(np.einsum("ij,ij->i", rows, rows))
    rows = rows[size > 0] / size[size > 0, None]
    used = np.flatnonzero(rows.any(axis=0))
    if not len(used):
        return np.zeros((len(scale), 0))
    _, singular, basis = np.linalg.svd(rows[:, used], full_matrices=False)
    rank = int((singular > _RANK_TOLERANCE * singular[0]).sum())
    directions = np.zeros((len(scale), rank))
    # Where everything is determined any basis serves, and the plain one keeps the numbers as they are.
    directions[used] = np.eye(rank) if rank == len(used) else basis[:rank].T
    return directions


def within(scaled: Array, directions: Array) -> Array:
    """Which of the scaled combinations (q, n) lie within the directions (n, rank)."""
    outside = scaled - (scaled @ directions) @ directions.T
    # Sizes of the largest parts: squares of tiny numbers would vanish.
    return np.asarray(np.abs(outside).max(axis=1, initial=0.0) <= _WITHIN * np.abs(scaled).max(axis=1, initial=0.0))


class Adjusted:
    """A block at its solution.

    ``y`` (n,) are the values of ``columns``, the unknowns that were adjusted; ``directions`` (n, rank) are those that
    the rows determine. ``residuals`` (m,) are weighted, ``leverage`` (m,) is each row's own share in its prediction,
    ``reach`` (m, rank) an orthonormal basis of what the rows can follow.
    """

    def __init__(self, block: Block, given: Sequence[float]) -> None:
        self.block = block
        count = len(block.free)
        jacobian = block.at_rest()
        self.directions = determined_directions(jacobian, block.scale)
        y = np.concatenate((np.zeros(count), np.asarray(given, dtype=float)))
        self.assumed = []
        free = np.ones(count, dtype=bool)
        for assumed in block.assumed:
            local = block.free.index(assumed.index)
            if not within(np.eye(count)[[local]], self.directions)[0]:
                self.assumed.append(assumed)
                y[local], free[local] = assumed.value, False
        if self.assumed:
            self.directions = determined_directions(jacobian[:, free], block.scale[free])
        self._free = np.flatnonzero(free)
        self._fixed = [block.free.index(assumed.index) for assumed in self.assumed]
        self.columns = [block.free[local] for local in self._free.tolist()]
        self.scale = block.scale[self._free]
        self._descend(y)
        self.y = self._all[self._free]
        inverse = np.linalg.inv(self._triangle) if len(self._triangle) else self._triangle
        self._factors = self.scale[:, None] * (self.directions @ inverse)
        self.leverage = np.einsum("ij,ij->i", self.reach, self.reach)

    def _descend(self, y: Array) -> None:
        """Gauss-Newton within the directions, each step shortened until the misfit falls (equation 1)."""
        block, free = self.block, self._free
        spread = self.scale[:, None] * self.directions
        angles = block.angles[free]
        residuals, jacobian = block.misfit(y)
        for _ in range(_STEPS if spread.shape[1] else 0):
            self.reach, self._triangle = _orthogonal(jacobian[:, free] @ spread)
            move = spread @ np.linalg.solve(self._triangle, self.reach.T @ residuals)
            turn = np.abs(move[angles]).max(initial=0.0)
            move *= _LONGEST_TURN / turn if turn > _LONGEST_TURN else 1.0
            if (np.abs(move) / self.scale).max() < _SETTLED * (1 + (np.abs(y[free]) / self.scale).max()):
                break
            misfit = residuals @ residuals
            for _ in range(_HALVINGS):
                trial = y.copy()
                trial[free] += move
                residuals_there, jacobian_there = block.misfit(trial)
                if residuals_there @ residuals_there <= misfit:
                    break
                move /= 2
            else:
                break
            y, residuals, jacobian = trial, residuals_there, jacobian_there
            if block.sheet.straight and turn <= _LONGEST_TURN:
                break
        if not spread.shape[1]:
            self.reach, self._triangle = np.zeros((len(residuals), 0)), np.zeros((0, 0))
        self._all, self.residuals, self._jacobian = y, residuals, jacobian

    def own_sources(self) -> list[Source]:
        """The errors that enter with this block: its rows', and those of what it assumed."""
        carried = [Source(self.columns, self._answer(self._jacobian[:, [local]] * assumed.u))
                   for local, assumed in zip(self._fixed, self.assumed, strict=True)]  # fmt: skip
        return [Source(self.columns, self._factors), *carried]

    def carried(self, source: Source) -> Source:
        """An earlier block's source, with what it does to this block's estimates through the given unknowns."""
        place = {column: len(self.block.free) + number for number, column in enumerate(self.block.given)}
        shared = [(row, place[column]) for row, column in enumerate(source.columns) if column in place]
        if not shared:
            return source
        rows, locals_ = (list(part) for part in zip(*shared, strict=True))
        moved = self._answer(self._jacobian[:, locals_] @ source.factors[rows])
        return Source(source.columns + self.columns, np.vstack((source.factors, moved)))

    def _answer(self, misfit: Array) -> Array:
        """How the estimates move when the weighted predictions (m, k) are off by what something given does to them."""
        return -self._factors @ (self.reach.T @ misfit)

    def inseparable(self, row: int, other: int, least: float) -> bool:
        """Whether the tests of two rows are correlated by at least ``least``: one cannot be blamed without the other."""
        free = math.sqrt((1 - self.leverage[row]) * (1 - self.leverage[other]))
        return bool(abs(self.reach[row] @ self.reach[other]) >= least * free)


def _orthogonal(matrix: Array) -> tuple[Array, Array]:
    """Orthonormal (m, k) and square (k, k) factors of the matrix, the square one made invertible."""
    reach, square = np.linalg.qr(matrix)
    diagonal = np.abs(square.diagonal())
    if diagonal.min() > _FLOOR * diagonal.max():
        return reach, square
    left, singular, right = np.linalg.svd(matrix, full_matrices=False)
    floor = max(singular[0] * _FLOOR, 1e-300)
    return left, np.maximum(singular, floor)[:, None] * right
