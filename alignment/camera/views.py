"""What cameras see of plates that stand somewhere: where every dot should be, and how that moves as its plate does.

A small motion of a plate is a *twist* ``(ω, τ)``: a point ``X`` of the rig's frame moves by ``ω × X + τ``. All dots of one
view move by their plate's twist alone, so that 7 x 7 sums over its dots (the seventh is the camera's focal length) are all
that an adjustment needs of a view.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from alignment.camera.lens import Camera, distort, distortion_slopes
from alignment.camera.plates import Plate
from alignment.model.formula import Array

TWIST = 6
ROWS = TWIST + 1
"""What a view's dots follow: their plate's twist, and the focal length's share."""


class View(NamedTuple):
    """One target in one picture: places in the lists of targets, shots and cameras, and the dots found, (n,) and (n, 2)."""

    target: int
    shot: int
    camera: int
    numbers: NDArray[np.intp]
    pixels: Array


class Seen(NamedTuple):
    """All dots of all views at given poses: ``off`` (n, 2) is what was seen less what should be, pixels, and ``slopes`` (n,
    2, 7) how what should be seen moves with the twist and with a share of the focal length.
    """

    off: Array
    slopes: Array


class Dots:
    """The dots of all views in one long list. ``first`` (v,) is each view's first, ``of`` (n,) each dot's view.

    By how much the lens shifts a dot's middle as it bends its outline is worked out once, where the plates are first said to
    stand: it hardly changes as they move by what an adjustment moves them.
    """

    def __init__(self, views: Sequence[View], plates: Sequence[Plate], cameras: Sequence[Camera]) -> None:
        self.views, self.cameras = list(views), cameras
        counts = [len(view.numbers) for view in views]
        self.first = np.concatenate(([0], np.cumsum(counts)[:-1])).astype(int)
        self.of = np.repeat(np.arange(len(self.views)), counts)
        self.count = np.array(counts)
        self.pixels = np.concatenate([view.pixels for view in views])
        self.places = np.concatenate([plates[view.target].dots[view.numbers] for view in views])
        self.radius2 = np.array([(plates[view.target].dot_mm / 2) ** 2 for view in views])
        camera = np.array([view.camera for view in views])
        self._bends, self._bent = np.zeros_like(self.pixels), False
        self.of_camera = [np.flatnonzero(camera[self.of] == number) for number in range(len(cameras))]

    def seen(self, turns: Array, places: Array, cameras: Sequence[Camera], *, slopes: bool = True) -> Seen:
        """What should be seen of the dots of plates that stand at ``turns`` (v, 3, 3) and ``places`` (v, 3), by given
        cameras.

        A disc is seen as an ellipse whose middle is not the disc's: that of the dual conic ``Y·Yᵀ - r²(h₁·h₁ᵀ + h₂·h₂ᵀ)``,
        with ``Y`` the disc's middle and ``h₁, h₂`` its plane's unit vectors, all in the camera's frame (Hartley and
        Zisserman, Multiple View Geometry, 2nd ed., section 2.2.3 on dual conics, from memory).
        """
        off = np.empty_like(self.pixels)
        moves = np.empty((len(self.pixels), 2, ROWS) if slopes else (0, 2, ROWS))
        for at, camera in zip(self.of_camera, cameras, strict=True):
            if not len(at):
                continue
            of = self.of[at]
            turned = np.einsum("ij,vjk->vik", camera.rotation, turns[:, :, :2])[of]
            points = np.einsum("nij,nj->ni", turns[of][:, :, :2], self.places[at]) + places[of]
            near = camera.see(points)
            r2 = self.radius2[of]
            depth = near[:, 2]
            middle = near[:, :2] * depth[:, None] - r2[:, None] * np.einsum("nij,nj->ni", turned[:, :2], turned[:, 2])
            ideal = middle / (depth * depth - r2 * (turned[:, 2] ** 2).sum(axis=1))[:, None]
            seen = distort(ideal, camera.distortion) * camera.focal
            if not self._bent:
                self._bends[at] = _bend(camera, near, turned, ideal, np.sqrt(r2))
            off[at] = self.pixels[at] - camera.principal - seen - self._bends[at]
            if slopes:
                moves[at] = _slopes(camera, points, near, ideal, seen)
        self._bent = True
        return Seen(off, moves)

    def sums(self, seen: Seen, weights: Array) -> tuple[Array, Array]:
        """Normal equations of each view: (v, 7, 7) and (v, 7), its dots weighted by ``weights`` (v,)."""
        products = np.einsum("nij,nik->njk", seen.slopes, seen.slopes)
        pulls = np.einsum("nij,ni->nj", seen.slopes, seen.off)
        return (
            np.add.reduceat(products, self.first) * weights[:, None, None],
            np.add.reduceat(pulls, self.first) * weights[:, None],
        )

    def squares(self, off: Array) -> Array:
        """Sum of the squares of each view's residuals (v,)."""
        return np.asarray(np.add.reduceat((off * off).sum(axis=1), self.first))


def _bend(camera: Camera, near: Array, turned: Array, ideal: Array, radius: Array) -> Array:
    """By how much the middle of a dot's bent outline lies off the place (n, 2) that the middle of its ellipse is bent to,
    pixels.

    The middle of an area that a lens maps is the mean of where its points come to, weighted by how much the lens spreads them
    there; over an ellipse four points at 1/√2 of conjugate radii give the mean of what is no more than cubic.
    """
    if not camera.distortion.any():
        return np.zeros_like(ideal)
    radii = _ideal_by_near(near) @ turned * (radius / np.sqrt(2.0))[:, None, None]
    total, weight = np.zeros_like(ideal), np.zeros(len(ideal))
    for side in (0, 1):
        for sign in (1.0, -1.0):
            at = ideal + sign * radii[:, :, side]
            slopes = distortion_slopes(at, camera.distortion)
            spread = slopes[:, 0, 0] * slopes[:, 1, 1] - slopes[:, 0, 1] * slopes[:, 1, 0]
            total += spread[:, None] * distort(at, camera.distortion)
            weight += spread
    return np.asarray((total / weight[:, None] - distort(ideal, camera.distortion)) * camera.focal)


def _ideal_by_near(near: Array) -> Array:
    """How ideal places move with points (n, 3) of the camera's frame, (n, 2, 3)."""
    found = np.zeros((len(near), 2, 3))
    found[:, 0, 0] = found[:, 1, 1] = 1.0 / near[:, 2]
    found[:, :, 2] = -near[:, :2] / (near[:, 2] ** 2)[:, None]
    return found


def _slopes(camera: Camera, points: Array, near: Array, ideal: Array, seen: Array) -> Array:
    """How dots' pixels move with their plate's twist and with a share of the focal length, (n, 2, 7)."""
    count = len(points)
    by_ideal = distortion_slopes(ideal, camera.distortion) * camera.focal[:, None]
    by_point = by_ideal @ _ideal_by_near(near) @ camera.rotation
    found = np.empty((count, 2, ROWS))
    found[:, :, 3:TWIST] = by_point
    # g·(ω × X) = ω·(X × g)
    found[:, :, :3] = np.cross(points[:, None, :], by_point)
    found[:, :, TWIST] = seen
    return found


def turned_by(vector: Array) -> Array:
    """Rotations (..., 3, 3) by rotation vectors (..., 3), radians: Rodrigues' formula."""
    angle = np.sqrt((vector * vector).sum(axis=-1))[..., None, None]
    cross = crossing(vector)
    small = angle < 1e-8  # noqa: PLR2004 - below, the limits of the two quotients are exact to the last digit
    safe = np.where(small, 1.0, angle)
    sine, cosine = np.where(small, 1.0, np.sin(safe) / safe), np.where(small, 0.5, (1 - np.cos(safe)) / safe**2)
    return np.asarray(np.eye(3) + sine * cross + cosine * (cross @ cross))


def crossing(vector: Array) -> Array:
    """The matrices (..., 3, 3) that multiply as the cross product with vectors (..., 3)."""
    if vector.ndim == 1:  # one at a time is asked for thousands of times
        x, y, z = vector.tolist()
        return np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    found = np.zeros((*vector.shape[:-1], 3, 3))
    found[..., 0, 1], found[..., 0, 2], found[..., 1, 2] = -vector[..., 2], vector[..., 1], -vector[..., 0]
    found[..., 1, 0], found[..., 2, 0], found[..., 2, 1] = vector[..., 2], -vector[..., 1], vector[..., 0]
    return found


def about_points(places: Array) -> Array:
    """What takes twists about points (..., 3) to the same twists about the origin, (..., 6, 6)."""
    found = np.zeros((*places.shape[:-1], TWIST, TWIST))
    found[..., range(TWIST), range(TWIST)] = 1.0
    found[..., 3:, :3] = crossing(places)
    return found


def rotation_vector(turn: Array) -> Array:
    """The rotation vector (3,), radians, of a rotation (3, 3): by its quaternion (Shepperd 1978, from memory)."""
    trace = float(np.trace(turn))
    parts = np.array([trace, *np.diagonal(turn)])
    largest = int(np.argmax(parts))
    quaternion = np.empty(4)
    off = np.array([turn[2, 1] - turn[1, 2], turn[0, 2] - turn[2, 0], turn[1, 0] - turn[0, 1]])
    if largest == 0:
        quaternion[0], quaternion[1:] = 1 + trace, off
    else:
        i, j, k = largest - 1, largest % 3, (largest + 1) % 3
        quaternion[0] = off[i]
        quaternion[1 + i] = 1 + turn[i, i] - turn[j, j] - turn[k, k]
        quaternion[1 + j], quaternion[1 + k] = turn[i, j] + turn[j, i], turn[i, k] + turn[k, i]
    quaternion /= np.linalg.norm(quaternion)
    if quaternion[0] < 0:
        quaternion = -quaternion
    sine = float(np.linalg.norm(quaternion[1:]))
    angle = 2 * np.arctan2(sine, quaternion[0])
    return np.asarray(quaternion[1:] * (angle / sine if sine > 1e-12 else 2.0))  # noqa: PLR2004 - the limit at no turn
