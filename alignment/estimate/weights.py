"""How well rows are known, each by itself or several together: weights that make their errors independent and of one size.

With ``C`` the rows' covariance and ``C = L·Lᵀ`` (Cholesky), errors ``v`` become ``L⁻¹·v``, independent and of unit variance.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from alignment.model.formula import Array

_NOTHING = 1e-12
"""A row of whose weight less than this share is left cannot be checked: rounding errors are as large."""


class Together(NamedTuple):
    """Rows (k,) whose errors are known together, by number, and their covariance (k, k) in the rows' own units."""

    rows: NDArray[np.intp]
    covariance: Array


class Weights:
    """The weights of rows: ``u`` (m,) are standard uncertainties, and ``together`` says which are known together instead."""

    def __init__(self, u: Array, together: Sequence[Together] = ()) -> None:
        self.u = u
        self.together = together
        self._factors = []
        for one in together:
            factor = np.linalg.cholesky(one.covariance)
            self._factors.append((one.rows, factor, np.linalg.inv(factor)))
        self.key = u.tobytes() + b"".join(rows.tobytes() + factor.tobytes() for rows, factor, _ in self._factors)

    def of(self, rows: NDArray[np.intp]) -> Weights:
        """The weights of some of the rows, in that order; of what is known together with the others its own part stays."""
        if not self.together:
            return Weights(self.u[rows])
        place = {row: local for local, row in enumerate(rows.tolist())}
        kept = []
        for one in self.together:
            mine = [local for local, row in enumerate(one.rows.tolist()) if row in place]
            if mine:
                at = np.array([place[row] for row in one.rows[mine].tolist()])
                kept.append(Together(at, one.covariance[np.ix_(mine, mine)]))
        return Weights(self.u[rows], kept)

    def whiten(self, errors: Array) -> Array:
        """``L⁻¹·v`` of errors (m,) or of several columns of them (m, k)."""
        found = errors / (self.u if errors.ndim == 1 else self.u[:, None])
        for rows, _, inverse in self._factors:
            found[rows] = inverse @ errors[rows]
        return np.asarray(found)

    def back(self, whitened: Array) -> Array:
        """``L⁻ᵀ·z`` of (m,) or (m, k): what a unit of each whitened row weighs for each row."""
        found = whitened / (self.u if whitened.ndim == 1 else self.u[:, None])
        for rows, _, inverse in self._factors:
            found[rows] = inverse.T @ whitened[rows]
        return np.asarray(found)

    def colour(self, whitened: Array) -> Array:
        """``L·z`` of (m,) or (m, k): whitened errors in the rows' own units again."""
        found = whitened * (self.u if whitened.ndim == 1 else self.u[:, None])
        for rows, factor, _ in self._factors:
            found[rows] = factor @ whitened[rows]
        return np.asarray(found)

    def tests(self, reach: Array) -> tuple[Array, Array]:
        """What says how well slips show, given an orthonormal basis (m, r) of what the whitened rows can follow.

        The first (m, m) is ``P·Q·P``, with ``P`` the inverse of the rows' covariance and ``Q`` the covariance of the residuals;
        the second (m,) each row's redundancy number ``(Q·P)ᵢᵢ``. Of what is lost in the last digits nothing is left.
        """
        size = len(self.u)
        within = np.eye(size) - reach @ reach.T
        checks = self.back(self.back(within).T)
        alone = self.back(self.back(np.eye(size)).T).diagonal()
        shown = self.colour(self.back(within).T)
        redundancy = np.where(checks.diagonal() > _NOTHING * alone, shown.diagonal(), 0.0)
        return checks, redundancy
