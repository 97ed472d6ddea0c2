"""A camera: where it stands, and how its lens maps points to pixels.

The rig's frame is turned into the camera's (x right, y down, z forward). The lens is a pinhole with radial and tangential
distortion: Brown, "Decentering distortion of lenses", Photogrammetric Engineering 32 (1966), in the form in which the
coefficients k1, k2, p1, p2, k3 go from ideal to seen. Pixel (0, 0) is the middle of the first pixel.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from alignment.model.formula import Array

REARWARD = np.array([[0.0, 1.0, 0.0], [0.0, 0.0, -1.0], [-1.0, 0.0, 0.0]])
"""The rotation of a camera that looks rearward, its picture upright."""
_ROUNDS = 20
_SETTLED = 1e-13
"""Ideal places that move by less are found; a pixel is some 3e-4."""


@dataclass(frozen=True)
class Doubts:
    """How well a camera's certificate is known: each axis of its rotation, degrees, of its place, mm, and its focal length, a
    share of it. Zero is exact.
    """

    rotation_deg: float = 0.0
    position_mm: float = 0.0
    focal: float = 0.0


@dataclass(frozen=True)
class Camera:
    """``size`` in pixels, ``focal`` and ``principal`` (2,) in pixels, ``distortion`` (5,), ``position`` (3,) in the rig's
    frame, mm, and ``rotation`` (3, 3) of a vector of that frame into the camera's.
    """

    id: str
    size: tuple[int, int]
    focal: Array
    principal: Array
    distortion: Array
    position: Array
    rotation: Array
    doubts: Doubts = Doubts()

    @property
    def matrix(self) -> Array:
        """Focal lengths and principal point (3, 3), as libraries take them."""
        (fx, fy), (cx, cy) = self.focal, self.principal
        return np.array([[fx, 0.0, cx], [0.0, fy, cy], [0.0, 0.0, 1.0]])

    def turned(self, turn: Array) -> Camera:
        """The same camera in the rig's frame turned by ``turn`` (3, 3)."""
        return replace(self, position=turn @ self.position, rotation=self.rotation @ turn.T)

    def see(self, points: Array) -> Array:
        """Points (..., 3) of the rig's frame in the camera's own frame."""
        return np.asarray((points - self.position) @ self.rotation.T)

    def pixels(self, ideal: Array) -> Array:
        """Pixels (..., 2) of ideal places (..., 2), which are x/z and y/z."""
        return np.asarray(distort(ideal, self.distortion) * self.focal + self.principal)

    def apart(self, some: Array, others: Array) -> float:
        """By how much ideal places (n, 2) lie off others, the root of the mean square, pixels in the middle of the picture."""
        return float(np.sqrt((((some - others) * self.focal) ** 2).sum(axis=-1).mean()))

    def ideal(self, pixels: Array) -> Array:
        """Ideal places (..., 2) of pixels (..., 2): the distortion undone by Newton's steps."""
        seen = (pixels - self.principal) / self.focal
        found = np.array(seen)
        for _ in range(_ROUNDS):
            missed = distort(found, self.distortion) - seen
            slopes = distortion_slopes(found, self.distortion)
            determinant = slopes[..., 0, 0] * slopes[..., 1, 1] - slopes[..., 0, 1] * slopes[..., 1, 0]
            x = (slopes[..., 1, 1] * missed[..., 0] - slopes[..., 0, 1] * missed[..., 1]) / determinant
            y = (slopes[..., 0, 0] * missed[..., 1] - slopes[..., 1, 0] * missed[..., 0]) / determinant
            found[..., 0] -= x
            found[..., 1] -= y
            if max(np.abs(x).max(initial=0.0), np.abs(y).max(initial=0.0)) < _SETTLED:
                break
        return found


def distort(ideal: Array, coefficients: Array) -> Array:
    """Seen places (..., 2) of ideal ones (..., 2), both as shares of the focal length."""
    k1, k2, p1, p2, k3 = coefficients
    x, y = ideal[..., 0], ideal[..., 1]
    r2 = x * x + y * y
    radial = 1.0 + r2 * (k1 + r2 * (k2 + r2 * k3))
    return np.stack(
        (
            x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x),
            y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y,
        ),
        axis=-1,
    )


def distortion_slopes(ideal: Array, coefficients: Array) -> Array:
    """Slopes (..., 2, 2) of ``distort`` against the ideal places (..., 2)."""
    k1, k2, p1, p2, k3 = coefficients
    x, y = ideal[..., 0], ideal[..., 1]
    r2 = x * x + y * y
    radial = 1.0 + r2 * (k1 + r2 * (k2 + r2 * k3))
    grows = 2.0 * (k1 + r2 * (2 * k2 + 3 * r2 * k3))
    cross = x * y * grows + 2 * p1 * x + 2 * p2 * y
    found = np.empty((*x.shape, 2, 2))
    found[..., 0, 0] = radial + x * x * grows + 2 * p1 * y + 6 * p2 * x
    found[..., 0, 1] = found[..., 1, 0] = cross
    found[..., 1, 1] = radial + y * y * grows + 6 * p1 * y + 2 * p2 * x
    return found
