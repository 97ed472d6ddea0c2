"""One block of equations at its least-squares solution, with the factors of its covariance."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from alignment.blocks import Block
from alignment.formula import Array

_LONGEST_TURN = 0.3
"""No unknown angle moves by more than this in one step (radians), so that no step jumps past a pole of tan."""
_STEPS = 80
_HALVINGS = 40
_SETTLED = 1e-11
"""Steps smaller than this, of a degree or a centimetre or of the largest unknown, change nothing worth naming."""
_NO_GAIN = 1e-16
"""A step that promises to take less than this share off the misfit is lost in the last digits."""
_FEWEST_DIGITS = 1e-5
"""The diagonal of Cholesky's factor may span this much: a covariance then keeps about six digits."""
_FLOOR = 1e-12
"""A direction that the readings lose at this state (a sine at its crest) becomes this much weaker than the others."""


class Source(NamedTuple):
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
        self._spread = block.scale[:, None] * block.directions
        self._descend(np.concatenate((block.start, np.asarray(given, dtype=float))))
        self.reach, inverse = _orthogonal(self._jacobian[:, : self._count] @ self._spread)
        self._factors = self._spread @ inverse
        self.leverage = np.einsum("ij,ij->i", self.reach, self.reach)

    @property
    def y(self) -> Array:
        """Values (n,) of the block's free unknowns."""
        return self._all[: self._count]

    def _misfit(self, y: Array) -> tuple[Array, Array]:
        """Weighted residuals (m,) and weighted Jacobian (m, n + g) at the values ``y`` (n + g,) of the columns."""
        return self._weighted(*self.block.sheet.at(y))

    def _weighted(self, values: Array, jacobian: Array) -> tuple[Array, Array]:
        return (self.values - values) / self.u, jacobian / self.u[:, None]

    def _descend(self, y: Array) -> None:
        """Gauss-Newton within the directions, each step shortened until the misfit falls (equation 1)."""
        block, count, spread = self.block, self._count, self._spread
        residuals, jacobian = self._weighted(*(block.at_start or block.sheet.at(y)))
        well = _well_conditioned(jacobian[:, :count] @ spread) is not None
        before = 0.0
        for _ in range(_STEPS if spread.shape[1] else 0):
            weighted = jacobian[:, :count] @ spread
            along = _step(weighted, residuals, well=well)
            misfit = residuals @ residuals
            move = spread @ along
            turn = np.abs(move[block.angles]).max(initial=0.0)
            move *= _LONGEST_TURN / turn if turn > _LONGEST_TURN else 1.0
            size = (np.abs(move) / block.scale).max() / (1 + (np.abs(y[:count]) / block.scale).max())
            if size < _SETTLED or abs(along @ (weighted.T @ residuals)) <= _NO_GAIN * misfit:
                break
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
            # Steps shrink by a steady share or faster: the next would be at most this size.
            if (block.sheet.straight and turn <= _LONGEST_TURN) or size * size < _SETTLED * before:
                break
            before = size
        self._all, self.residuals, self._jacobian = y, residuals, jacobian

    def own_sources(self, number: int) -> list[Source]:
        """The errors that enter with this block, the ``number``th: its rows', and those of what it assumed."""
        columns = {index: self._count + local for local, index in enumerate(self.block.given)}
        carried = [Source((number,), self._answer(self._jacobian[:, [columns[assumed.unknown]]] * assumed.u))
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


def _step(matrix: Array, residuals: Array, *, well: bool) -> Array:
    """The step (k,) of least squares along the columns of the matrix (m, k).

    By the normal equations where they are ``well`` conditioned: a step need not be exact, the next one mends it.
    """
    if well:
        try:
            return np.asarray(np.linalg.solve(matrix.T @ matrix, matrix.T @ residuals), dtype=float)
        except np.linalg.LinAlgError:
            pass  # it was well conditioned where the descent began, and is not here
    return np.asarray(np.linalg.lstsq(matrix, residuals, rcond=_FLOOR)[0], dtype=float)


def _well_conditioned(matrix: Array) -> Array | None:
    """Cholesky's lower factor of the normal equations of a matrix where it keeps enough digits, else None."""
    try:
        factor = np.asarray(np.linalg.cholesky(matrix.T @ matrix), dtype=float)
    except np.linalg.LinAlgError:
        return None
    diagonal = factor.diagonal()
    return factor if diagonal.min(initial=1e300) > _FEWEST_DIGITS * diagonal.max(initial=0.0) else None


def _orthogonal(matrix: Array) -> tuple[Array, Array]:
    """An orthonormal basis (m, k) of the columns of the matrix, and the square matrix (k, k) that makes it of them."""
    if not matrix.shape[1]:
        return np.zeros(matrix.shape), np.zeros((0, 0))
    factor = _well_conditioned(matrix)
    if factor is not None:
        inverse = np.asarray(np.linalg.inv(factor), dtype=float).T
        return matrix @ inverse, inverse
    left, singular, right = np.linalg.svd(matrix, full_matrices=False)
    inverse = right.T / np.maximum(singular, max(singular[0] * _FLOOR, 1e-300))
    return left, inverse
