"""One block of equations at its least-squares solution, with the factors of its covariance."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from alignment.blocks import Block
from alignment.formula import Array

_LONGEST_TURN = 0.3
"""No unknown angle moves by more than this in one step (radians), so that no step jumps past a pole of tan."""
_STEPS = 80
_HALVINGS = 40
_SETTLED = 1e-11
_FLOOR = 1e-12
"""A direction that the readings lose at this state (a sine at its crest) becomes this much weaker than the others."""


@dataclass(frozen=True)
class Source:
    """Independent errors of unit variance, and how they move the free unknowns of ``blocks``, one block after the other.

    ``factors`` (unknowns, k).
    """

    blocks: tuple[int, ...]
    factors: Array


class Adjusted:
    """A block at its solution.

    ``residuals`` (m,) are weighted, ``leverage`` (m,) is each row's own share in its prediction, ``reach`` (m, rank) an
    orthonormal basis of what the rows can follow.
    """

    def __init__(self, block: Block, values: Array, u: Array, given: Sequence[float]) -> None:
        self.block = block
        self.values, self.u = values[block.rows], u[block.rows]
        self._count = len(block.free)
        self._descend(np.concatenate((np.zeros(self._count), np.asarray(given, dtype=float))))
        inverse = np.linalg.inv(self._triangle) if len(self._triangle) else self._triangle
        self._factors = block.scale[:, None] * (block.directions @ inverse)
        self.leverage = np.einsum("ij,ij->i", self.reach, self.reach)

    @property
    def y(self) -> Array:
        """Values (n,) of the block's free unknowns."""
        return self._all[: self._count]

    def _misfit(self, y: Array) -> tuple[Array, Array]:
        """Weighted residuals (m,) and weighted Jacobian (m, n + g) at the values ``y`` (n + g,) of the columns."""
        values, jacobian = self.block.sheet.at(y)
        return (self.values - values) / self.u, jacobian / self.u[:, None]

    def _descend(self, y: Array) -> None:
        """Gauss-Newton within the directions, each step shortened until the misfit falls (equation 1)."""
        block, count = self.block, self._count
        spread = block.scale[:, None] * block.directions
        residuals, jacobian = self._misfit(y)
        for _ in range(_STEPS if spread.shape[1] else 0):
            self.reach, self._triangle = _orthogonal(jacobian[:, :count] @ spread)
            move = spread @ np.linalg.solve(self._triangle, self.reach.T @ residuals)
            turn = np.abs(move[block.angles]).max(initial=0.0)
            move *= _LONGEST_TURN / turn if turn > _LONGEST_TURN else 1.0
            if (np.abs(move) / block.scale).max() < _SETTLED * (1 + (np.abs(y[:count]) / block.scale).max()):
                break
            misfit = residuals @ residuals
            for _ in range(_HALVINGS):
                trial = y.copy()
                trial[:count] += move
                residuals_there, jacobian_there = self._misfit(trial)
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

    def own_sources(self, number: int) -> list[Source]:
        """The errors that enter with this block, the ``number``th: its rows', and those of what it assumed."""
        columns = {index: self._count + local for local, index in enumerate(self.block.given)}
        carried = [Source((number,), self._answer(self._jacobian[:, [columns[assumed.index]]] * assumed.u))
                   for assumed in self.block.assumed]  # fmt: skip
        return [Source((number,), self._factors), *carried]

    def carried(self, number: int, source: Source, columns: Sequence[int]) -> Source:
        """An earlier block's source over its ``columns``, with what it does here, in the ``number``th block."""
        place = {column: self._count + local for local, column in enumerate(self.block.given)}
        shared = [(row, place[column]) for row, column in enumerate(columns) if column in place]
        if not shared:
            return source
        rows, locals_ = (list(part) for part in zip(*shared, strict=True))
        moved = self._answer(self._jacobian[:, locals_] @ source.factors[rows])
        return Source((*source.blocks, number), np.vstack((source.factors, moved)))

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
