"""Pictures of made-up targets: every pixel's ray is followed back to the plates, with lens, blur, noise, glare and dirt.

Nothing here asks the projection of ``alignment.camera``, which goes the other way, from dots to pixels: a mistake made there
is not made here too. Lengths are mm, places on a picture pixels.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from alignment.camera.plates import MARKERS, Plate
from alignment.camera.sheets import marker_cells
from alignment.model.formula import Array

Picture = NDArray[np.uint8]

BLACK, WHITE, YARD = 0.06, 0.92, 0.35
"""What print, plate and the yard behind throw back of the light. Invented."""
_MUD = 0.3
_LIGHTEST = 255.0
_ROUNDS = 60
_STILL = 1e-11
_COARSE, _ROUND = 16, 0.5
"""Pixels between the rays that look for a plate, and pitches of yard about it that count as its own."""
_CELLS = 4
"""A marker's pixel is looked at in so many places each way."""
_THINNEST = 1e-6


class Pose(NamedTuple):
    """How a plate stands in the rig's frame: ``turn`` (3, 3) takes its own frame there, its origin lies at ``place`` (3,)."""

    turn: Array
    place: Array


class Spot(NamedTuple):
    """A round spot on the picture: its middle and radius, pixels; ``light`` is added, or it hides what lies there where None."""

    x: float
    y: float
    radius: float
    light: float | None = None


@dataclass(frozen=True)
class Conditions:
    """How a picture is taken. ``light`` is the share of full exposure that white paper has, ``falls`` by how much that falls
    across the picture, ``noise`` the standard deviation in grey levels, ``blur`` that of the lens's spot in pixels, ``smear``
    how far the picture moved while it was taken, pixels; ``mud`` hides dots of a plate, by its number and the dots';
    ``spots`` lie on the picture.
    """

    light: float = 0.8
    falls: float = 0.1
    noise: float = 2.0
    blur: float = 0.8
    smear: tuple[float, float] = (0.0, 0.0)
    mud: Sequence[tuple[int, Sequence[int]]] = ()
    spots: Sequence[Spot] = field(default_factory=tuple)


@dataclass(frozen=True)
class Eye:
    """A camera as it really is, in the same terms as a set-up's file gives it."""

    size: tuple[int, int]
    focal: tuple[float, float]
    principal: tuple[float, float]
    distortion: tuple[float, float, float, float, float]
    position: Array
    rotation: Array

    def rays(self, columns: Array, rows: Array) -> tuple[Array, Array]:
        """Where pixels look: x over z and y over z, of the shape of ``columns`` and ``rows`` together.

        The lens bends the ideal place into the seen one; going back, the bend at the place found last is taken off again and
        again, until that changes nothing.
        """
        seen_x, seen_y = (columns - self.principal[0]) / self.focal[0], (rows - self.principal[1]) / self.focal[1]
        k1, k2, p1, p2, k3 = self.distortion
        x, y = np.broadcast_arrays(seen_x, seen_y)
        for _ in range(_ROUNDS if any(self.distortion) else 0):
            square = x * x + y * y
            widens = 1 + square * (k1 + square * (k2 + square * k3))
            aside = 2 * p1 * x * y + p2 * (square + 2 * x * x)
            down = p1 * (square + 2 * y * y) + 2 * p2 * x * y
            before = x
            x, y = (seen_x - aside) / widens, (seen_y - down) / widens
            if np.abs(x - before).max(initial=0.0) < _STILL:
                break
        return x, y

    def take(self, plates: Sequence[tuple[Plate, Pose]], how: Conditions, rng: np.random.Generator) -> Picture:
        """A grey picture (rows, columns) of plates; those that turn their back or lie behind the camera are not in it."""
        width, height = self.size
        image: NDArray[np.float32] = np.full((height, width), YARD, dtype=np.float32)
        mud = dict(how.mud)
        # The nearer hides the farther.
        far = [-float(np.linalg.norm(pose.place - self.position)) for _, pose in plates]
        for number in np.argsort(far).tolist():
            plate, pose = plates[number]
            self._paint(image, plate, pose, mud.get(number, ()))
        across = np.linspace(1 + how.falls / 2, 1 - how.falls / 2, width, dtype=np.float32)
        image *= how.light * across / WHITE * _LIGHTEST
        for spot in how.spots:
            _lay(image, spot)
        if any(how.smear):
            image = _moved(image, how.smear)
        if how.blur:
            image = np.asarray(cv2.GaussianBlur(image, (0, 0), how.blur), dtype=np.float32)
        if how.noise:
            image += np.float32(how.noise) * rng.standard_normal(image.shape, dtype=np.float32)
        return np.asarray(np.clip(np.rint(image), 0, _LIGHTEST), dtype=np.uint8)

    def _paint(self, image: NDArray[np.float32], plate: Plate, pose: Pose, muddy: Sequence[int]) -> None:
        turn, place = self.rotation @ pose.turn, self.rotation @ (pose.place - self.position)
        window = self._window(plate, turn, place)
        if window is None:
            return
        rows, columns = (np.arange(side.start, side.stop, dtype=float) for side in window)
        on_plate = _met(*self.rays(columns[None, :], rows[:, None]), turn, place)
        slopes = [tuple(np.gradient(part)) for part in on_plate]
        inside, albedo = _print(plate, on_plate, slopes, muddy)
        image[window] += inside * (albedo - image[window])

    def _window(self, plate: Plate, turn: Array, place: Array) -> tuple[slice, slice] | None:
        """The part of the picture that a plate may be in, by every few pixels' rays; None where it is in none or turns its
        back.
        """
        if turn[:, 2] @ place <= 0:
            return None
        columns, rows = (np.arange(0.0, side + _COARSE, _COARSE) for side in self.size)
        x, y = self.rays(columns[None, :], rows[:, None])
        ahead = turn[0, 2] * x + turn[1, 2] * y + turn[2, 2] > _THINNEST
        wide, high = (half + _ROUND * plate.pitch_mm for half in plate.half_size)
        on_plate = _met(x, y, turn, place)
        met = ahead & (np.abs(on_plate[0]) < wide) & (np.abs(on_plate[1]) < high)
        if not met.any():
            return None
        found = []
        for axis, side in ((1, self.size[1]), (0, self.size[0])):
            at = np.flatnonzero(met.any(axis=axis))
            found.append(slice(max(int(at[0] - 1) * _COARSE, 0), min(int(at[-1] + 2) * _COARSE, side)))
        return None if any(part.stop - part.start < 2 for part in found) else (found[0], found[1])  # noqa: PLR2004 - no slope in one line


def _met(x: Array, y: Array, turn: Array, place: Array) -> list[Array]:
    """Where rays (x, y, 1) meet a plate's plane, in the plate's own terms, mm: as long as their part along the normal is the
    way to it.
    """
    normal = turn[:, 2]
    along = normal[0] * x + normal[1] * y + normal[2]
    reach = (normal @ place) / np.where(np.abs(along) > _THINNEST, along, _THINNEST)
    off = reach * x - place[0], reach * y - place[1], reach - place[2]
    return [turn[0, side] * off[0] + turn[1, side] * off[1] + turn[2, side] * off[2] for side in (0, 1)]


def _print(
    plate: Plate, at: Sequence[Array], slopes: Sequence[Sequence[Array]], muddy: Sequence[int]
) -> tuple[Array, Array]:
    """How much of each pixel lies on the plate, and what the plate throws back there; ``at`` are places on it, mm."""
    inside = np.ones_like(at[0])
    for part, by, half in zip(at, slopes, plate.half_size, strict=True):
        inside *= _covered(half - np.abs(part), by)
    albedo = np.full_like(at[0], WHITE)
    lattice = [
        np.rint(part / plate.pitch_mm + (n - 1) / 2) for part, n in zip(at, (plate.columns, plate.rows), strict=True)
    ]
    middles = [
        (place - (n - 1) / 2) * plate.pitch_mm for place, n in zip(lattice, (plate.columns, plate.rows), strict=True)
    ]
    x, y = at[0] - middles[0], at[1] - middles[1]
    far = np.hypot(x, y)
    safe = np.maximum(far, _THINNEST)
    by_pixel = [(x * slopes[0][axis] + y * slopes[1][axis]) / safe for axis in (0, 1)]
    dark = _covered(plate.dot_mm / 2 - far, by_pixel)
    kinds = _kinds(plate, muddy)
    column, row = (
        np.clip(place, 0, n - 1).astype(int) for place, n in zip(lattice, (plate.columns, plate.rows), strict=True)
    )
    kind = kinds[row, column]
    albedo += np.where(kind >= 1, dark, 0.0) * (BLACK - WHITE)
    albedo = np.where((kind == 2) & (far < plate.pitch_mm / 2.2), _MUD, albedo)  # noqa: PLR2004 - a lump over its dot
    for corner in range(MARKERS):
        _marker(plate, corner, at, slopes, albedo)
    return inside, albedo


def _kinds(plate: Plate, muddy: Sequence[int]) -> NDArray[np.int64]:
    """What is printed at each place (rows, columns): 0 nothing of its own, 1 a dot, 2 a dot under mud."""
    kinds = np.zeros((plate.rows, plate.columns), dtype=np.int64)
    places = np.rint(plate.dots / plate.pitch_mm + [(plate.columns - 1) / 2, (plate.rows - 1) / 2]).astype(int)
    for number, (column, row) in enumerate(places.tolist()):
        kinds[row, column] = 2 if number in muddy else 1
    return kinds


def _covered(depth: Array, slopes: Sequence[Array]) -> Array:
    """The share of each pixel that lies inside an edge, which is ``depth`` away, in mm, and straight across the pixel.

    The area of a unit square on one side of a straight line, from the four corners that the line may pass.
    """
    size = np.maximum(np.hypot(slopes[0], slopes[1]), _THINNEST)
    d = depth / size
    found = (d > 0).astype(float)
    near = np.abs(d) < 1.0
    a, b = (np.maximum(np.abs(slope[near]) / size[near], _THINNEST) for slope in slopes)
    whole, part, d = (a + b) / 2, (a - b) / 2, d[near]

    def ramp(t: Array) -> Array:
        return np.maximum(t, 0.0) ** 2

    area = (ramp(d + whole) - ramp(d + part) - ramp(d - part) + ramp(d - whole)) / (2 * a * b)
    found[near] = np.where(d >= whole, 1.0, np.where(d <= -whole, 0.0, np.clip(area, 0.0, 1.0)))
    return found


def _marker(plate: Plate, corner: int, at: Sequence[Array], slopes: Sequence[Sequence[Array]], albedo: Array) -> None:
    """Paint one coded marker, each pixel the mean of several places in it."""
    middle, half = plate.marker_middles[corner], plate.marker_mm / 2
    near = (np.abs(at[0] - middle[0]) < 1.2 * half) & (np.abs(at[1] - middle[1]) < 1.2 * half)
    if not near.any():
        return
    bits = marker_cells(plate.dictionary, plate.ids[corner])
    steps = (np.arange(_CELLS) + 0.5) / _CELLS - 0.5
    down, across = (part.ravel() for part in np.meshgrid(steps, steps, indexing="ij"))
    cell = []
    for side in (0, 1):
        spread = (
            at[side][near][:, None] + slopes[side][0][near][:, None] * down + slopes[side][1][near][:, None] * across
        )
        cell.append(np.floor((spread - middle[side] + half) / plate.marker_mm * len(bits)).astype(int))
    inside = (cell[0] >= 0) & (cell[0] < len(bits)) & (cell[1] >= 0) & (cell[1] < len(bits))
    column, row = (np.clip(part, 0, len(bits) - 1) for part in cell)
    white = ~inside | bits[row, column]
    albedo[near] = np.where(white, WHITE, BLACK).mean(axis=1)


def _lay(image: NDArray[np.float32], spot: Spot) -> None:
    rows, columns = np.ogrid[: image.shape[0], : image.shape[1]]
    far = np.hypot(columns - spot.x, rows - spot.y) / spot.radius
    if spot.light is None:
        image[far < 1] = _MUD * _LIGHTEST
    else:
        image += spot.light * _LIGHTEST * np.exp(-far * far)


def _moved(image: NDArray[np.float32], way: tuple[float, float]) -> NDArray[np.float32]:
    """The mean of the picture over a straight way, pixels."""
    count = int(max(abs(way[0]), abs(way[1]))) * 2 + 3
    total = np.zeros_like(image)
    for share in np.linspace(-0.5, 0.5, count):
        shift = np.array([[1.0, 0.0, share * way[0]], [0.0, 1.0, share * way[1]]])
        total += cv2.warpAffine(image, shift, image.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(total / count, dtype=np.float32)
