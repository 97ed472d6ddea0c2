"""A plate's grid of dots in a picture: where its plane lies, and which dots lie on it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from alignment.camera.lens import Camera
from alignment.camera.plates import Plate
from alignment.model.formula import Array

BEYOND = 4.5
"""A dot that lies off the grid by so many medians is left out (devices.md)."""
_LEAST_OFF = 0.05
"""Pixels; dots nearer to the grid than this are never left out for it."""
_ROBUST_ROUNDS = 8
_COVERS = 0.5
"""Of a plate each way: a few points in one corner of it, each off by a part of a pixel, do not tell its perspective."""


class Grid(NamedTuple):
    """A plate's plane in the ideal picture: a homography (3, 3) of its places, mm, to x/z and y/z."""

    matrix: Array

    @classmethod
    def near(cls, plate: Plate, on_plate: Array, ideal: Array) -> Grid | None:
        """The grid for places about these points: without perspective, where they cover too little of the plate to tell it."""
        covers = np.ptp(on_plate, axis=0) / (2 * np.array(plate.half_size))
        if (covers > _COVERS).all():
            return cls.through(on_plate, ideal)
        terms = np.column_stack((on_plate, np.ones(len(on_plate))))
        found, _, rank, _ = np.linalg.lstsq(terms, ideal, rcond=None)
        return cls(np.vstack((found.T, [0.0, 0.0, 1.0]))) if rank == terms.shape[1] else None

    @classmethod
    def through(cls, on_plate: Array, ideal: Array, weights: Array | None = None) -> Grid | None:
        """The least squares of the direct linear equations, places scaled (Hartley, IEEE PAMI 19, 1997), each point (n,) by
        its weight; None where points lie on one line.
        """
        shift, size = on_plate.mean(axis=0), float(np.abs(on_plate - on_plate.mean(axis=0)).max()) or 1.0
        middle, spread = ideal.mean(axis=0), float(np.abs(ideal - ideal.mean(axis=0)).max()) or 1.0
        (x, y), (u, v) = ((on_plate - shift) / size).T, ((ideal - middle) / spread).T
        one, none = np.ones_like(x), np.zeros_like(x)
        rows = np.concatenate(
            (np.stack((x, y, one, none, none, none, -u * x, -u * y, -u), axis=1),
             np.stack((none, none, none, x, y, one, -v * x, -v * y, -v), axis=1))
        )  # fmt: skip
        weighted = rows if weights is None else rows * np.concatenate((weights, weights))[:, None]
        values, vectors = np.linalg.eigh(rows.T @ weighted)
        if not values[1] > 1e-9 * values[-1]:
            return None
        from_plate = np.array([[1 / size, 0, -shift[0] / size], [0, 1 / size, -shift[1] / size], [0, 0, 1]])
        to_ideal = np.array([[spread, 0, middle[0]], [0, spread, middle[1]], [0, 0, 1]])
        return cls(to_ideal @ vectors[:, 0].reshape(3, 3) @ from_plate)

    def at(self, places: Array) -> Array:
        """Ideal places (n, 2) of places on the plate (n, 2)."""
        seen = places @ self.matrix[:, :2].T + self.matrix[:, 2]
        return np.asarray(seen[:, :2] / seen[:, 2:])


def within(dots: Array, known: Array, reach: float) -> NDArray[np.bool_]:
    """Which dots (n, 2) lie within reach of any known place (k, 2)."""
    return np.asarray((((dots[:, None, :] - known) ** 2).sum(axis=2) < reach * reach).any(axis=1))


def on_grid(grid: Grid, dots: Array, ideal: Array, good: NDArray[np.bool_], camera: Camera) -> NDArray[np.bool_]:
    """The good dots (n,) that lie on one grid: the rest is beyond so many medians of what those near it are off by.

    The grid is fitted with weights that fall with the square of what a dot is off by (Cauchy's), so that a few half hidden
    dots do not pull it.
    """
    weights = good.astype(float)
    for _ in range(_ROBUST_ROUNDS):
        fitted = Grid.through(dots[good], ideal[good], weights[good])
        grid = fitted or grid
        off = np.hypot(*((grid.at(dots) - ideal) * camera.focal).T)
        scale = max(float(np.median(off[good])), _LEAST_OFF / BEYOND)
        weights = good / (1.0 + (off / (2.0 * scale)) ** 2)
    return np.asarray(good & (off < max(BEYOND * scale, _LEAST_OFF)))
