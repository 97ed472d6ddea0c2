"""One block of equations at its least-squares solution, with the factors of its covariance."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from alignment.estimate.blocks import Block
from alignment.estimate.weights import Weights
from alignment.model.formula import Array

_LONGEST_TURN = 0.3
"""No unknown angle moves by more than this in one step (radians), so that no step jumps past a pole of tan."""
_STEPS = 80
_HALVINGS = 40
_SETTLED = 1e-11
"""Steps smaller than this, of a degree or a centimetre or of the longest way that an unknown has come, change nothing worth
naming."""
_SMALL = 1e-3
"""A step this small leaves the Jacobian, and so the covariance, as they are to three digits and more."""
_LAST_STEPS = 6
_MOST_BEGUN = 8
"""Sets of weights for which a block remembers its factors at the start."""
_NO_GAIN = 1e-16
"""A step that promises to take less than this share off the misfit is lost in the last digits."""
_FEWEST_DIGITS = 1e-5
"""The diagonal of Cholesky's factor may span this much: a covariance then keeps about six digits."""
_FLOOR = 1e-12
"""Where a derivative vanishes, this state does not determine the unknown: its direction gets this share of the others'
weight.
"""


class Source(NamedTuple):
    """Independent errors of unit variance, and how they move the free unknowns of ``blocks``, one block after the other.

    ``factors`` (unknowns, k). They come from the rows of the first of the blocks, or where ``assumed`` is an unknown from what
    it is taken for.
    """

    blocks: tuple[int, ...]
    factors: Array
    assumed: int | None = None


class Adjusted:
    """A block at its solution.

    ``residuals`` (m,) are weighted, ``reach`` (m, rank) is an orthonormal basis of what the weighted rows can follow.
    ``redundancy`` (m,) says how much of a slip shows in each row's own residual, ``sigmas`` (m,) are the standardised
    residuals, ``slips`` (m,) what each row is wrong by if it alone is, ``off`` (m,) the residuals in the rows' own units.
    """

    def __init__(self, block: Block, values: Array, weights: Weights, given: Sequence[float]) -> None:
        self.block = block
        self.values, self.weights = values[block.rows], weights.of(block.rows)
        self._count = len(block.free)
        self._spread = block.scale[:, None] * block.directions
        self._all = np.concatenate((block.start, np.asarray(given, dtype=float)))
        self._begin()
        self._descend()
        self._factors = self._spread @ self._inverse
        self._test()

    def _test(self) -> None:
        """How each row agrees with the others (equation 4)."""
        weights = self.weights
        self.off = weights.colour(self.residuals)
        pulls = weights.back(self.residuals)
        if weights.together:
            self._checks, self.redundancy = weights.tests(self.reach)
            diagonal = self._checks.diagonal()
        else:
            self.redundancy = 1.0 - np.einsum("ij,ij->i", self.reach, self.reach)
            diagonal = self.redundancy / weights.u**2
        # A row that nothing checks has neither; what is said of it is not used.
        diagonal = np.where(diagonal > 0, diagonal, np.inf)
        self.sigmas, self.slips = np.abs(pulls) / np.sqrt(diagonal), pulls / diagonal

    def _begin(self) -> None:
        """Take the start of the search. Jobs of one kit weigh their readings alike, and so share its factors."""
        block, weights = self.block, self.weights.key
        predicted, jacobian = block.at_start
        if weights in block.begun:
            self.residuals = self.weights.whiten(self.values - predicted)
            self._jacobian, self.reach, self._inverse = block.begun[weights]
        else:
            self._take(predicted, jacobian)
            if len(block.begun) < _MOST_BEGUN:
                block.begun[weights] = self._jacobian, self.reach, self._inverse
        if block.given and self._spread.shape[1]:
            # What is given differs from what the start was worked out for: a first step, straight, is where the search begins.
            self.residuals -= self._jacobian[:, self._count :] @ (self._all[self._count :] - block.given_at_start)
            self._all[: self._count] += self._move(self.residuals)[0]
            self._take(*block.sheet.at(self._all))

    def _take(self, predicted: Array, jacobian: Array) -> None:
        """Take the predictions (m,) and the Jacobian (m, n + g) at the values now held, and the latter's factors."""
        self.residuals = self.weights.whiten(self.values - predicted)
        self._jacobian = self.weights.whiten(jacobian)
        self.reach, self._inverse = _orthogonal(self._jacobian[:, : self._count] @ self._spread)

    @property
    def y(self) -> Array:
        """Values (n,) of the block's free unknowns."""
        return self._all[: self._count]

    def _descend(self) -> None:
        """Gauss-Newton within the directions, each step shortened until the misfit falls (equation 1).

        Once a step is small the Jacobian hardly changes any more: the last steps take it as it is.
        """
        block, before = self.block, 0.0
        for _ in range(_STEPS if self._spread.shape[1] else 0):
            move, gain = self._move(self.residuals)
            size = self._size(move)
            if size < _SETTLED or gain <= _NO_GAIN * (self.residuals @ self.residuals):
                return
            if (block.sheet.straight or size < _SMALL) and self._finish(move):
                return
            # Steps shrink by a steady share or faster: the next would be at most this size.
            if not self._go(move) or size * size < _SETTLED * before:
                return
            before = size

    def _move(self, residuals: Array) -> tuple[Array, float]:
        """The step (n,) of least squares, or as much of it as turns no angle too far; and what it may take off the misfit."""
        along = self.reach.T @ residuals
        move = self._spread @ (self._inverse @ along)
        if not self.block.sheet.straight:  # straight rows have no pole to be jumped past
            turn = np.abs(move[self.block.angles]).max(initial=0.0)
            move *= _LONGEST_TURN / turn if turn > _LONGEST_TURN else 1.0
        return move, float(along @ along)

    def _size(self, move: Array) -> float:
        """The largest part of a move, of a degree or a centimetre, or of the longest way that an unknown has come."""
        scale = self.block.scale
        come = np.abs((self.y - self.block.start) / scale).max()
        return float(np.abs(move / scale).max() / (1.0 + come))

    def _go(self, move: Array) -> bool:
        """Take the move, halved until the misfit does not grow; False where no part of it serves."""
        held, misfit = self._all, self.residuals @ self.residuals
        for _ in range(_HALVINGS):
            trial = held.copy()
            trial[: self._count] += move
            predicted, jacobian = self.block.sheet.at(trial)
            residuals = self.weights.whiten(self.values - predicted)
            if residuals @ residuals <= misfit:
                self._all = trial
                self._take(predicted, jacobian)
                return True
            move = move / 2
        return False

    def _finish(self, move: Array) -> bool:
        """Take a small move and what is left after it, without a new Jacobian; False, and nothing done, where it does not
        serve.
        """
        trial, misfit, straight = self._all.copy(), self.residuals @ self.residuals, self.block.sheet.straight
        before = 0.0 if straight else self._size(move)
        for _ in range(_LAST_STEPS):
            trial[: self._count] += move
            residuals = self.weights.whiten(self.values - self.block.sheet.values(trial))
            if residuals @ residuals > misfit:
                return False
            move, gain = self._move(residuals)
            size = 0.0 if straight else self._size(move)
            if size < _SETTLED or gain <= _NO_GAIN * (residuals @ residuals):
                self._all, self.residuals = trial, residuals
                return True
            if size * size < _SETTLED * before:
                # What is left after this step is too small to name: so is what the rows do that is not straight.
                trial[: self._count] += move
                self._all, self.residuals = trial, residuals - self._jacobian[:, : self._count] @ move
                return True
            before = size
        return False

    def own_u(self, local: int) -> float:
        """Standard uncertainty of a free unknown by the block's own rows alone, radians or millimetres."""
        return float(np.linalg.norm(self._factors[local]))

    def own_sources(self, number: int) -> list[Source]:
        """The errors that enter with this block, the ``number``th: its rows', and those of what it assumed."""
        columns = {index: self._count + local for local, index in enumerate(self.block.given)}
        carried = [
            Source((number,), self._answer(self._jacobian[:, [columns[assumed.unknown]]] * assumed.u), assumed.unknown)
            for assumed in self.block.assumed
        ]
        return [Source((number,), self._factors), *carried]

    def carried(self, number: int, source: Source, columns: Sequence[int]) -> Source:
        """An earlier block's source over its ``columns``, with what it does here, in the ``number``th block."""
        place = {column: self._count + local for local, column in enumerate(self.block.given)}
        shared = [(row, place[column]) for row, column in enumerate(columns) if column in place]
        if not shared:
            return source
        rows, locals_ = (list(part) for part in zip(*shared, strict=True))
        moved = self._answer(self._jacobian[:, locals_] @ source.factors[rows])
        return Source((*source.blocks, number), np.vstack((source.factors, moved)), source.assumed)

    def _answer(self, misfit: Array) -> Array:
        """How the estimates move when the weighted predictions (m, k) are off by what something given does to them."""
        return -self._factors @ (self.reach.T @ misfit)

    def inseparable(self, row: int, other: int, least: float) -> bool:
        """Whether the tests of two rows are correlated by at least ``least``: one cannot be blamed without the other."""
        if self.weights.together:
            checks = self._checks
            return bool(abs(checks[row, other]) >= least * math.sqrt(checks[row, row] * checks[other, other]))
        free = math.sqrt(self.redundancy[row] * self.redundancy[other])
        return bool(abs(self.reach[row] @ self.reach[other]) >= least * free)


def _orthogonal(matrix: Array) -> tuple[Array, Array]:
    """An orthonormal basis (m, k) of the columns of the matrix, and the square matrix (k, k) that makes it of them.

    By Cholesky's factor of the normal equations where that keeps enough digits, otherwise by singular values.
    """
    if not matrix.shape[1]:
        return np.zeros(matrix.shape), np.zeros((0, 0))
    try:
        factor = np.linalg.cholesky(matrix.T @ matrix)
        diagonal = factor.diagonal()
        if diagonal.min() > _FEWEST_DIGITS * diagonal.max():
            inverse = np.asarray(np.linalg.inv(factor), dtype=float).T
            return matrix @ inverse, inverse
    except np.linalg.LinAlgError:
        pass  # not positive in the digits that a double has: the singular values tell how it stands
    left, singular, right = np.linalg.svd(matrix, full_matrices=False)
    inverse = right.T / np.maximum(singular, max(singular[0] * _FLOOR, 1e-300))
    return left, inverse
