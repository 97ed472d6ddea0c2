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
_MOST_KEPT = 6
"""So many steps in a row go by kept slopes, the first ones and the last ones."""
_QUICK = 0.1
"""The first steps go by kept slopes while each is at most this share of the one before: then they cost less than slopes taken anew."""
_SURELY = 100.0
"""How far rows bend is known from one step: in another direction it may be so many times as much."""
_MOST_BEGUN = 8
"""Sets of weights for which a block remembers its factors at the start."""
_NO_GAIN = 1e-16
"""A step that promises to take less than this share off the misfit is lost in the last digits."""
_FEWEST_DIGITS = 1e-5
"""The diagonal of Cholesky's factor may span this much: a covariance then keeps about six digits."""
_WORTH_SCIPY = 40
"""NumPy inverts a triangle of fewer rows as if it were full, in less time than SciPy takes to load."""
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
        self._all = np.concatenate((block.start, np.asarray(given, dtype=float)))
        self._begin()
        if block.directions.shape[1]:
            self._descend()
        self._factors = block.from_directions(self._inverse)
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
        if block.given and block.directions.shape[1]:
            # What is given differs from what the start was worked out for: a first step, straight, is where the search begins.
            self.residuals -= self._jacobian[:, self._count :] @ (self._all[self._count :] - block.given_at_start)
            self._all = self._moved(self._move(self.residuals)[0])
            self.residuals = self._left(self._all)

    def _left(self, at: Array) -> Array:
        """What the rows leave (m,), weighted, at given values of the unknowns."""
        return self.weights.whiten(self.values - self.block.sheet.values(at))

    def _take(self, predicted: Array, jacobian: Array) -> None:
        """Take the predictions (m,) and the Jacobian (m, n + g) at the values now held, and the latter's factors."""
        self.residuals = self.weights.whiten(self.values - predicted)
        self._jacobian = self.weights.whiten(jacobian)
        self.reach, self._inverse = _orthogonal(self.block.to_directions(self._jacobian[:, : self._count]))

    @property
    def y(self) -> Array:
        """Values (n,) of the block's free unknowns."""
        return self._all[: self._count]

    def _descend(self) -> None:
        """Gauss-Newton within the directions, each step shortened until the misfit falls (equation 1).

        Once a step is small the slopes hardly change any more: the last steps take them as they are.
        """
        if self.block.sheet.straight:
            self._close(self._move(self.residuals)[0])
            return
        bend, before, kept = self._approach(), 0.0, 0
        for _ in range(_STEPS):
            move, size = self._next()
            # Steps shrink by a steady share or faster: the next would be at most this size.
            if not size or _SURELY * bend * size**2 < _SETTLED or size**2 < _SETTLED * before:
                self._close(move)
                return
            if size < _SMALL and kept < _MOST_KEPT and self._try(move):
                kept += 1
            elif self._go(move):
                kept = 0
            else:
                return
            before = size

    def _approach(self) -> float:
        """The first steps, by the slopes at the start: these are at hand, so that only predictions need be worked out.

        New slopes are taken once what is left is so small that they stay right to the end, or where steps no longer shrink quickly.
        Returned is how far the rows bend: the size of what a step misses, by the square of its size.
        """
        before, bend = math.inf, math.inf
        for step in range(_MOST_KEPT):
            move, size = self._next()
            if not (size or step or self.block.given):
                return bend
            if step == 1:
                bend = size * (1.0 + before) / before**2
            # Steps shrink by a steady share or faster: the next should be as small as this.
            near = size * (min(1.0, size / before) if step else 1.0) < _SMALL
            if near and size and self._go(move):
                return bend
            if near or size > _QUICK * before or not self._try(move):
                break
            before = size
        self._take(*self.block.sheet.at(self._all))
        return bend

    def _moved(self, move: Array) -> Array:
        """All values, after a move (n,) of the free unknowns."""
        found = self._all.copy()
        found[: self._count] += move
        return found

    def _try(self, move: Array) -> bool:
        """Take a move by the slopes that are kept; False, and nothing done, where the misfit grows."""
        trial = self._moved(move)
        residuals = self._left(trial)
        if residuals @ residuals > self.residuals @ self.residuals:
            return False
        self._all, self.residuals = trial, residuals
        return True

    def _next(self) -> tuple[Array, float]:
        """The next step (n,) and its size; 0 where it is too small to name."""
        move, gain = self._move(self.residuals)
        size = self._size(move)
        settled = size < _SETTLED or gain <= _NO_GAIN * (self.residuals @ self.residuals)
        return move, 0.0 if settled else size

    def _move(self, residuals: Array) -> tuple[Array, float]:
        """The step (n,) of least squares, or as much of it as turns no angle too far; and what it may take off the misfit."""
        along = self.reach.T @ residuals
        move = self.block.from_directions(self._inverse @ along)
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
        misfit = self.residuals @ self.residuals
        for _ in range(_HALVINGS):
            trial = self._moved(move)
            predicted, jacobian = self.block.sheet.at(trial)
            residuals = self.weights.whiten(self.values - predicted)
            if residuals @ residuals <= misfit:
                self._all = trial
                self._take(predicted, jacobian)
                return True
            move = move / 2
        return False

    def _close(self, move: Array) -> None:
        """Take a move after which nothing is left that could be named: the rows follow it straight."""
        self._all = self._moved(move)
        self.residuals = self.residuals - self._jacobian[:, : self._count] @ move

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
        factor: Array = np.asarray(np.linalg.cholesky(matrix.T @ matrix), dtype=float)
        diagonal = factor.diagonal()
        if diagonal.min() > _FEWEST_DIGITS * diagonal.max():
            inverse = _inverse_of_lower(factor).T
            return matrix @ inverse, inverse
    except np.linalg.LinAlgError:
        pass  # not positive in the digits that a double has: the singular values tell how it stands
    left, singular, right = np.linalg.svd(matrix, full_matrices=False)
    inverse = right.T / np.maximum(singular, max(singular[0] * _FLOOR, 1e-300))
    return left, inverse


def _inverse_of_lower(factor: Array) -> Array:
    """The inverse (k, k) of a lower triangle."""
    if len(factor) < _WORTH_SCIPY:
        return np.asarray(np.linalg.inv(factor), dtype=float)
    from scipy.linalg.lapack import dtrtri  # it takes longer to load than a car takes to solve

    inverse, _ = dtrtri(factor, lower=True)
    return np.asarray(inverse, dtype=float)
