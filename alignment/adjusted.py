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
_SMALL = 1e-4
"""A step this small leaves the Jacobian, and so the covariance, as they are to four digits."""
_LAST_STEPS = 6
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
        self._all = np.concatenate((block.start, np.asarray(given, dtype=float)))
        predicted, jacobian = block.at_start or block.sheet.at(self._all)
        self.residuals = (self.values - predicted) / self.u
        self._jacobian = jacobian / self.u[:, None]
        self._descend()
        self.reach, inverse = _orthogonal(self._jacobian[:, : self._count] @ self._spread)
        self._factors = self._spread @ inverse
        self.leverage = np.einsum("ij,ij->i", self.reach, self.reach)

    @property
    def y(self) -> Array:
        """Values (n,) of the block's free unknowns."""
        return self._all[: self._count]

    def _descend(self) -> None:
        """Gauss-Newton within the directions, each step shortened until the misfit falls (equation 1).

        Once a step is small the Jacobian hardly changes any more: the last steps take it as it is.
        """
        block, before, well = self.block, 0.0, None
        for _ in range(_STEPS if self._spread.shape[1] else 0):
            weighted = self._jacobian[:, : self._count] @ self._spread
            normal = weighted.T @ weighted
            well = _sound_factor(normal) is not None if well is None else well
            along, gain = _step(weighted, normal, self.residuals, well=well)
            move = self._shortened(self._spread @ along)
            size = self._size(move)
            if size < _SETTLED or gain <= _NO_GAIN * (self.residuals @ self.residuals):
                return
            if (block.sheet.straight or size < _SMALL) and self._finish(weighted, normal, move, well=well):
                return
            # Steps shrink by a steady share or faster: the next would be at most this size.
            if not self._go(move) or size * size < _SETTLED * before:
                return
            before = size

    def _shortened(self, move: Array) -> Array:
        """The move (n,), or as much of it as turns no angle too far; straight rows have no pole to be jumped past."""
        if self.block.sheet.straight:
            return move
        turn = np.abs(move[self.block.angles]).max(initial=0.0)
        return move * (_LONGEST_TURN / turn) if turn > _LONGEST_TURN else move

    def _size(self, move: Array) -> float:
        """The largest part of a move, of a degree or a centimetre, or of the largest unknown."""
        scale = self.block.scale
        return float((np.abs(move) / scale).max() / (1.0 + (np.abs(self._all[: self._count]) / scale).max()))

    def _go(self, move: Array) -> bool:
        """Take the move, halved until the misfit does not grow; False where no part of it serves."""
        misfit = self.residuals @ self.residuals
        for _ in range(_HALVINGS):
            trial = self._all.copy()
            trial[: self._count] += move
            predicted, jacobian = self.block.sheet.at(trial)
            residuals = (self.values - predicted) / self.u
            if residuals @ residuals <= misfit:
                self._all, self.residuals, self._jacobian = trial, residuals, jacobian / self.u[:, None]
                return True
            move = move / 2
        return False

    def _finish(self, weighted: Array, normal: Array, move: Array, *, well: bool) -> bool:
        """Take a small move and what is left after it, without a new Jacobian; False, and nothing done, where it does not serve."""
        trial, misfit = self._all.copy(), self.residuals @ self.residuals
        for _ in range(_LAST_STEPS):
            trial[: self._count] += move
            residuals = (self.values - self.block.sheet.values(trial)) / self.u
            if residuals @ residuals > misfit:
                return False
            along, gain = _step(weighted, normal, residuals, well=well)
            move = self._spread @ along
            if self.block.sheet.straight or self._size(move) < _SETTLED or gain <= _NO_GAIN * (residuals @ residuals):
                self._all, self.residuals = trial, residuals
                return True
        return False

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


def _step(matrix: Array, normal: Array, residuals: Array, *, well: bool) -> tuple[Array, float]:
    """The step (k,) of least squares along the columns of the matrix (m, k), and what it promises to take off the misfit.

    By the normal equations (k, k) where they are ``well`` conditioned: a step need not be exact, the next one mends it.
    """
    pull = matrix.T @ residuals
    try:
        along = np.linalg.solve(normal, pull) if well else np.linalg.lstsq(matrix, residuals, rcond=_FLOOR)[0]
    except np.linalg.LinAlgError:  # it was well conditioned where the descent began, and is not here
        along = np.linalg.lstsq(matrix, residuals, rcond=_FLOOR)[0]
    return np.asarray(along, dtype=float), abs(float(along @ pull))


def _sound_factor(normal: Array) -> Array | None:
    """Cholesky's lower factor of the normal equations where it keeps enough digits, else None."""
    try:
        factor = np.asarray(np.linalg.cholesky(normal), dtype=float)
    except np.linalg.LinAlgError:
        return None
    diagonal = factor.diagonal()
    return factor if diagonal.min(initial=1e300) > _FEWEST_DIGITS * diagonal.max(initial=0.0) else None


def _orthogonal(matrix: Array) -> tuple[Array, Array]:
    """An orthonormal basis (m, k) of the columns of the matrix, and the square matrix (k, k) that makes it of them."""
    if not matrix.shape[1]:
        return np.zeros(matrix.shape), np.zeros((0, 0))
    factor = _sound_factor(matrix.T @ matrix)
    if factor is not None:
        inverse = np.asarray(np.linalg.inv(factor), dtype=float).T
        return matrix @ inverse, inverse
    left, singular, right = np.linalg.svd(matrix, full_matrices=False)
    inverse = right.T / np.maximum(singular, max(singular[0] * _FLOOR, 1e-300))
    return left, inverse
