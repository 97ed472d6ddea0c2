"""Targets in a picture: coded markers say which target it is and which way up, dots are found around them to sub-pixel.

A dot is the middle of its darkness, in a window that is laid on the dot itself: each pixel counts by how much darker it is than
the white about it, a plane fitted to the ring between this dot and its neighbours. No picture is held longer than its dots.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from alignment.camera.grid import BEYOND, Grid, on_grid, within
from alignment.camera.lens import Camera
from alignment.camera.plates import Plate
from alignment.model.formula import Array

Picture = NDArray[np.uint8]

_RING = (0.45, 0.95)
"""Where a dot's own white lies: between these shares of the way from its edge to half a pitch."""
_WINDOW, _SOFT = 0.5, 0.12
"""A dot's darkness counts up to a share of the same way, and fades out over a part of half a pitch: a sharp edge would count or
not count whole pixels of a blurred dot's tail, by how the dot lies on the pixels, alike in every picture that it lies so.
"""
_PLACED, _CENTRED = 0.05, 0.0005
"""Pixels: where the grid through the dots lies off the one that their windows were put on by more, they are put there anew; and
where windows lie off their own dots by more, the dots are looked at again.
"""
_ASIDE = 0.1
"""Of a dot's width: where windows lie so far off, a dot that looks whole may be half of two."""
_FROM_EDGE = 0.3
"""Pitches: white nearer to the plate's edge may have the yard's darkness in it."""
_FULL = 250
"""Grey levels from here on are overexposed: the edge of a dot moves where white is cut off."""
_FEWEST_PIXELS = 5.0
"""A dot whose narrow axis is shorter, in pixels, is too far or too oblique to be placed well."""
_AREA, _MOMENT = 0.12, 0.35
"""By how much of what the grid says a dot's darkness, and its extent, may differ before it counts as partly hidden."""
_LEAST_AREA = 0.04
"""A dot whose darkness differs by less is never left out for it."""
_LEAST_DARK = 0.25
"""A dot is at least so much darker than its white."""
_MOST_FULL = 0.3
"""Of the white about the dots: where more is overexposed, their edges have moved."""
_LARGE = 8.0
"""Pixels: dots that are smaller run into each other because they are small, or seen too obliquely; larger ones because they
are blurred.
"""
_MOST_BLUR = 0.33
"""Of the white between two dots' edges, halved: a wider spot mixes dots with their white, and moves their middles."""
_SMALLEST_MARKER = 14.0
"""Pixels: where a marker is smaller, that is why its dots are not placed."""
_FEWEST_DOTS, _FEWEST_TO_STEP = 8, 4
_REACH = 4.0
"""Pitches: how far beyond what is known of a grid its dots are looked for. A marker's corners are seen to a third of a pixel."""
_MOST_STEPS = 30


class Dots(NamedTuple):
    """What was found of one target in one picture.

    ``numbers`` (n,) are places in the plate's list of dots, ``pixels`` (n, 2) their middles as seen. ``found`` counts the
    dots that were seen, ``hidden`` those that were not or only in part. ``blur`` is the lens's spot, pixels; ``width`` the
    narrow axis of a dot, pixels; ``full`` the share of white that is overexposed.
    """

    numbers: NDArray[np.intp]
    pixels: Array
    found: int
    hidden: int
    blur: float
    width: float
    full: float


@dataclass(frozen=True)
class Missed:
    """A target of which markers were seen, but too few dots to place it, and why: a code."""

    why: str


def find_targets(picture: Picture, plates: Sequence[Plate], camera: Camera) -> dict[int, Dots | Missed]:
    """The targets that are seen in a grey picture (rows, columns), by their place in ``plates``."""
    corners: dict[tuple[str, int], Array] = {}
    for dictionary in dict.fromkeys(plate.dictionary for plate in plates):
        squares, ids, _ = _detector(dictionary).detectMarkers(picture)
        if ids is not None:
            for square, number in zip(squares, ids.ravel().tolist(), strict=True):
                corners[dictionary, number] = square.reshape(4, 2).astype(float)
    found: dict[int, Dots | Missed] = {}
    for at, plate in enumerate(plates):
        seen = [
            (corner, corners[plate.dictionary, number])
            for corner, number in enumerate(plate.ids)
            if (plate.dictionary, number) in corners
        ]
        if seen:
            dots = _find_dots(picture, plate, camera, seen)
            size = float(np.median([np.hypot(*(square[1] - square[0])) for _, square in seen]))
            found[at] = Missed("small") if isinstance(dots, Missed) and size < _SMALLEST_MARKER else dots
    return found


@lru_cache(maxsize=8)
def _detector(dictionary: str) -> Any:
    settings = cv2.aruco.DetectorParameters()
    settings.adaptiveThreshWinSizeMin = settings.adaptiveThreshWinSizeMax = 23
    settings.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_SUBPIX
    return cv2.aruco.ArucoDetector(cv2.aruco.getPredefinedDictionary(getattr(cv2.aruco, dictionary)), settings)


def _find_dots(picture: Picture, plate: Plate, camera: Camera, seen: Sequence[tuple[int, Array]]) -> Dots | Missed:
    """The dots of a target of which some markers' corners (4, 2) are seen, by the markers' places."""
    look = _Look(picture, plate, camera)
    on_plate = np.concatenate([plate.marker_corners[corner] for corner, _ in seen])
    of_markers = camera.ideal(np.concatenate([pixels for _, pixels in seen]))
    known, grid = on_plate, Grid.near(plate, on_plate, of_markers)
    middles, good = np.empty((0, 2)), np.empty(0, dtype=bool)
    before: NDArray[np.bool_] = np.zeros(len(plate.dots), dtype=bool)
    most = 0
    # Markers place the dots beside them; those place the next, until nothing more is reached; then once more, from all of them.
    for _ in range(_MOST_STEPS):
        if grid is None:
            return Missed("markers" if known is on_plate else "grid")
        near = within(plate.dots, known, _REACH * plate.pitch_mm)
        middles, good = look.around(grid, near)
        if (good.sum() < _FEWEST_TO_STEP and known is on_plate) or _ASIDE * look.width < look.off < np.inf:
            # A small marker or two place windows by a few pixels: what is dark in them is enough to place them better. What
            # looks whole in them is not, yet.
            good = look.seen
        if good.sum() < _FEWEST_TO_STEP:
            return Missed(look.why)
        enough = bool(good.sum() >= _FEWEST_DOTS)
        places, ideal = plate.dots[good], camera.ideal(middles[good])
        known = np.concatenate((places, on_plate))
        windows, grid = (
            grid,
            Grid.near(plate, places, ideal) if enough else Grid.near(plate, known, np.concatenate((ideal, of_markers))),
        )
        nothing_new = bool((near == before).all()) and int(good.sum()) <= most
        before, most = near, int(good.sum())
        if nothing_new and grid is not None and camera.apart(grid.at(places), windows.at(places)) < _PLACED:
            if not enough:
                return Missed(look.why)
            break
    if grid is None:
        return Missed("grid")
    middles, good = _settled(look, grid, near, middles, good)
    if good.sum() < _FEWEST_DOTS:
        return Missed(look.why)
    good = on_grid(grid, plate.dots, camera.ideal(middles), good, camera)
    if good.sum() < _FEWEST_DOTS:
        return Missed("grid")
    return Dots(
        np.flatnonzero(good), middles[good], int(look.seen.sum()), int((~good).sum()), look.blur, look.width, look.full
    )


def _settled(
    look: _Look, grid: Grid, near: NDArray[np.bool_], middles: Array, good: NDArray[np.bool_]
) -> tuple[Array, NDArray[np.bool_]]:
    """The middles (n, 2) where each dot's window lies on its own dot, and which of them are whole.

    A window that lies off cuts off more of the blurred tail on one side, and pulls the middle after it by a share that is alike
    for all dots of a plate: two rounds tell that share, and where it ends (Aitken's extrapolation). Windows on the grid would
    share what the grid is off by, and the dots' scatter would not tell of it.
    """
    steps = []
    for _ in range(2):
        own = good
        found, good = look.around(grid, near, own=middles, of=own)
        both = own & good
        if not both.any():
            return found, good
        steps.append(np.where(own[:, None], found - middles, 0.0))
        middles = found
        if np.sqrt((steps[-1][both] ** 2).mean()) < _CENTRED:
            return middles, good
    first, second = (step[both] for step in steps)
    share = float((first * second).sum() / (first * first).sum())
    if 0.0 < share < _MOST_SHARE:
        middles = middles + np.where(both[:, None], steps[1], 0.0) * share / (1.0 - share)
    return middles, good


_MOST_SHARE = 0.8
"""A window that pulls a middle after it by more lies on something else; nothing is extrapolated."""


_FAR_OFF = 1e6
"""Pixels: off any picture."""
_FLATTEST = 1e-6
"""Square pixels of a square mm: a plate that shows less of itself is seen along its edge."""
_FULL_SHARE = 2e-3
"""Of a picture's pixels: where more are overexposed, a target that is not seen may be among them. A plate has some
hundredths.
"""


def why_not(picture: Picture, plate: Plate) -> Missed | None:
    """Why a target is not seen in a picture, as far as a second look at other sizes tells; None where nothing of it is there.

    A small marker is read in a larger picture.
    """
    if float((picture >= _FULL).mean()) > _FULL_SHARE:
        return Missed("overexposed")
    larger = cv2.resize(picture, None, fx=2.0, fy=2.0, interpolation=cv2.INTER_CUBIC)
    _, ids, _ = _detector(plate.dictionary).detectMarkers(larger)
    if ids is not None and set(ids.ravel().tolist()) & set(plate.ids):
        return Missed("small")
    return Missed("blurred") if _edges_blurred(picture) else None


_STEEPEST_SHARE, _EDGE_WINDOW, _LEAST_CONTRAST, _BLURRED = 2e-4, 31, 60.0, 2.2
"""The steepest of a picture's pixels are its sharpest edges; about each the lightest less the darkest, grey levels; pixels of
blur.
"""


def _edges_blurred(picture: Picture) -> bool:
    """Whether even the sharpest edges of a picture are blurred: an edge of contrast ``C`` that a spot of ``σ`` pixels has
    blurred is at most ``C / (σ·√(2π))`` steep.
    """
    smooth = cv2.GaussianBlur(picture, (0, 0), 1.0).astype(np.float32)
    steep = cv2.magnitude(cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1)) / 8
    limit = float(np.quantile(steep[::4, ::4], 1 - _STEEPEST_SHARE))
    window = np.ones((_EDGE_WINDOW, _EDGE_WINDOW), np.uint8)
    contrast = cv2.dilate(smooth, window) - cv2.erode(smooth, window)
    edges = (steep >= max(limit, 1.0)) & (contrast > _LEAST_CONTRAST)
    if not edges.any():
        return False
    return bool(np.median(contrast[edges] / steep[edges]) / np.sqrt(2 * np.pi) > _BLURRED)


class _Look:
    """Windows about the dots of one plate in one picture."""

    def __init__(self, picture: Picture, plate: Plate, camera: Camera) -> None:
        self.picture, self.plate, self.camera = picture, plate, camera
        self.blur = self.width = self.full = 0.0
        self.off = np.inf  # by how much the windows lay off their dots, the median, pixels
        self.seen: NDArray[np.bool_] = np.zeros(len(plate.dots), dtype=bool)
        self.why = "hidden"

    def around(
        self, grid: Grid, near: NDArray[np.bool_], *, own: Array | None = None, of: NDArray[np.bool_] | None = None
    ) -> tuple[Array, NDArray[np.bool_]]:
        """The dots' middles as seen (n, 2) where the grid says that they are, and which of those ``near`` (n,) are whole;
        ``of`` some (n,) where they were seen before, ``own`` (n, 2).
        """
        plate, dots = self.plate, self.plate.dots
        self.off, self.seen = np.inf, np.zeros(len(dots), dtype=bool)
        guess = self.camera.pixels(grid.at(dots))
        step = plate.pitch_mm / 8
        right, down = (
            (self.camera.pixels(grid.at(dots + way)) - guess) / step
            for way in (np.array([step, 0]), np.array([0, step]))
        )
        if own is not None and of is not None:
            guess = np.where(of[:, None], own, guess)
        # Pixels for a mm to the right and down on the plate, (n, 2, 2), and back.
        forth = np.stack((right, down), axis=2)
        determinant = forth[:, 0, 0] * forth[:, 1, 1] - forth[:, 0, 1] * forth[:, 1, 0]
        if not (near.any() and np.isfinite(guess).all() and (np.abs(determinant) > _FLATTEST).all()):
            self.why = "grid"
            return guess, np.zeros(len(dots), dtype=bool)
        # Far from what is known of the grid it may be anywhere: only dots that are looked for say how large they are.
        self.width = plate.dot_mm * float(np.median(_narrow(forth[near])))
        if self.width < _FEWEST_PIXELS:
            self.why = "small"
            return guess, np.zeros(len(dots), dtype=bool)
        return self._measure(guess, forth, determinant, near)

    def _measure(
        self, guess: Array, forth: Array, determinant: Array, near: NDArray[np.bool_]
    ) -> tuple[Array, NDArray[np.bool_]]:
        plate, height, width = self.plate, *self.picture.shape
        # By a lens that no lens is like, windows may come out wider than any picture, and lie anywhere.
        widest = min(plate.pitch_mm / 2 * float(np.abs(forth[near]).sum(axis=2).max()), 2.0 * max(width, height))
        half = int(np.ceil(widest)) + 1
        base = np.rint(np.clip(guess, -_FAR_OFF, _FAR_OFF)).astype(int)
        inside = np.asarray(near & ((base >= half) & (base < np.array([width, height]) - half)).all(axis=1))
        centre = np.clip(base, half, np.array([width, height]) - half - 1)
        if half > min(width, height) // 2 - 1 or not inside.any():
            self.why = "edge"
            return guess, np.zeros(len(guess), dtype=bool)
        numbers = np.flatnonzero(inside)
        dark, area, moments = (np.zeros(len(guess)) for _ in range(3))
        aside = np.zeros((len(guess), 2))
        found = self._darkness(
            guess[numbers], centre[numbers], half, forth[numbers], determinant[numbers], plate.dots[numbers]
        )
        dark[numbers], area[numbers], moments[numbers], aside[numbers] = found
        self.off = float(np.hypot(*np.median(aside[numbers], axis=0)))
        return self._whole(guess + aside, inside, dark, area, moments, np.abs(determinant))

    def _darkness(
        self, guess: Array, centre: NDArray[np.intp], half: int, forth: Array, determinant: Array, dots: Array
    ) -> tuple[Array, Array, Array, Array]:
        """Of some dots in windows of ``half`` pixels each way about ``centre`` (n, 2): how dark each is in its middle (n,), its
        area and the mean square of the way from its middle, mm² (n,), and by how much it lies off the ``guess``, pixels (n, 2).
        Keeps in ``full`` how much of their white is overexposed.
        """
        plate = self.plate
        steps = np.arange(-half, half + 1)
        patch = self.picture[(centre[:, 1, None] + steps)[:, :, None], (centre[:, 0, None] + steps)[:, None, :]].astype(
            np.float32
        )
        x = (steps - (guess - centre)[:, :1]).astype(np.float32)
        y = (steps - (guess - centre)[:, 1:]).astype(np.float32)
        a, b, c, d = (part.astype(np.float32)[:, None, None] for part in (
            forth[:, 1, 1] / determinant, -forth[:, 0, 1] / determinant, -forth[:, 1, 0] / determinant, forth[:, 0, 0] / determinant))  # fmt: skip
        across, along = a * x[:, None, :] + b * y[:, :, None], c * x[:, None, :] + d * y[:, :, None]
        square = across * across + along * along
        far = np.sqrt(square) / np.float32(plate.pitch_mm / 2)
        share = plate.dot_mm / plate.pitch_mm
        ring = (far > share + _RING[0] * (1 - share)) & (far < share + _RING[1] * (1 - share))
        for part, dot, size in zip((across, along), dots.T, plate.half_size, strict=True):
            ring &= np.abs(part + dot.astype(np.float32)[:, None, None]) < size - _FROM_EDGE * plate.pitch_mm
        core = (far < share / 3).astype(np.float32)
        pixels = np.maximum(core.sum(axis=(1, 2)), 1)
        black = _summed(patch, core) / pixels
        white = _white(patch, ring.astype(np.float32), (across, along), dots, float(np.abs(plate.dots).max()), black)
        self.full = float((ring * (patch >= _FULL)).sum() / max(ring.sum(), 1.0))
        dark = 1.0 - patch / np.maximum(white, 1.0)
        middle = _summed(dark, core) / pixels
        # All of the darkness within the window counts, noise too: to cut off what is faint would bias each dot by how it
        # lies on the pixels.
        weight = dark * np.clip((share + _WINDOW * (1 - share) - far) / _SOFT, 0.0, 1.0)
        by_column, by_row = weight.sum(axis=1), weight.sum(axis=2)
        total = np.maximum(by_row.sum(axis=1), 1e-6)
        aside = np.stack(((by_column * x).sum(axis=1), (by_row * y).sum(axis=1)), axis=1) / total[:, None]
        moments = _summed(weight, square) / total - (
            (a[:, 0, 0] * aside[:, 0] + b[:, 0, 0] * aside[:, 1]) ** 2
            + (c[:, 0, 0] * aside[:, 0] + d[:, 0, 0] * aside[:, 1]) ** 2
        )
        return middle, total / np.maximum(middle, 1e-6) / np.abs(determinant), moments, aside

    def _whole(
        self, at: Array, inside: NDArray[np.bool_], dark: Array, area: Array, moments: Array, scale: Array
    ) -> tuple[Array, NDArray[np.bool_]]:
        """Which dots are whole: as dark as the others, and as large and as round as the grid says."""
        radius = self.plate.dot_mm / 2
        self.seen = inside & (dark > _LEAST_DARK)
        if self.full > _MOST_FULL:
            self.why = "overexposed"
            return at, np.zeros(len(at), dtype=bool)
        if self.seen.sum() < _FEWEST_TO_STEP:
            self.why = "edge" if inside.sum() < _FEWEST_TO_STEP else "hidden"
            return at, np.zeros(len(at), dtype=bool)
        # A disc's mean square distance is r²/2; what goes beyond is the lens's spot, two of its variances.
        usual = float(np.median(moments[self.seen]))
        spot = max(usual - radius * radius / 2, 0.0) / 2
        self.blur = float(np.sqrt(spot * np.median(scale)))
        gap = (self.plate.pitch_mm / self.plate.dot_mm - 1) / 2 * self.width
        if self.blur > _MOST_BLUR * gap:
            self.why = "blurred" if self.width > _LARGE else "small"
            return at, np.zeros(len(at), dtype=bool)
        size = float(np.median(area[self.seen]))
        good = self.seen & (np.abs(dark / np.median(dark[self.seen]) - 1) < 2 * _AREA)
        scatter = BEYOND * float(np.median(np.abs(area[self.seen] / size - 1)))
        good &= np.abs(area / size - 1) < min(max(scatter, _LEAST_AREA), _AREA)
        good &= np.abs(moments / usual - 1) < _MOMENT
        return at, good


def _narrow(forth: Array) -> Array:
    """The shorter axis (n,) of what a circle of diameter 1 on the plate is seen as."""
    square = np.einsum("nij,nik->njk", forth, forth)
    trace, determinant = square[:, 0, 0] + square[:, 1, 1], np.linalg.det(square)
    return np.asarray(np.sqrt(np.maximum(trace / 2 - np.sqrt(np.maximum(trace * trace / 4 - determinant, 0.0)), 0.0)))


def _summed(one: Any, other: Any) -> Any:
    """The sum of products (n,) over each window of two (n, h, w)."""
    return np.einsum("nhw,nhw->n", one, other)


def _white(patch: Any, ring: Any, about: tuple[Any, Any], dots: Array, size: float, black: Array) -> Any:
    """The white about each dot (n, h, w): its own level on its ring, with the fall of light that all rings of the plate
    share.

    ``about`` are places on the plate about the dot, ``size`` how far its dots reach, mm; ``black`` (n,) is the dots' own level.
    A dot at the plate's edge has half a ring only, which could not tell how the light falls.
    """
    across, along = about
    count = np.maximum(ring.sum(axis=(1, 2)), 1.0)
    level, x, y = ((_summed(ring, one) / count).astype(float) for one in (patch, across, along))
    u, v = dots[:, 0] + x, dots[:, 1] + y
    terms = np.stack((np.ones_like(u), u / size, v / size, (u / size) ** 2, u * v / size**2, (v / size) ** 2), axis=1)
    uneven = np.sqrt(np.maximum(_summed(ring * patch, patch) / count - level**2, 0.0))
    use = (count > _FEWEST_RING) & (black < _BLACK * level) & (uneven < _UNEVEN * level)
    by_x = by_y = np.zeros_like(u)
    if use.sum() > 2 * terms.shape[1]:
        # Rings with a shadow's edge in them have no say: those far from the rest are left out once.
        fitted = np.linalg.lstsq(terms[use], level[use], rcond=None)[0]
        off = np.abs(level - terms @ fitted)
        use &= off < 3 * np.median(off[use]) + 1.0
        fitted = np.linalg.lstsq(terms[use], level[use], rcond=None)[0]
        by_x = (fitted[1] + (2 * fitted[3] * u + fitted[4] * v) / size) / size
        by_y = (fitted[2] + (2 * fitted[5] * v + fitted[4] * u) / size) / size
    flat = (level - by_x * x - by_y * y).astype(np.float32)[:, None, None]
    return flat + by_x.astype(np.float32)[:, None, None] * across + by_y.astype(np.float32)[:, None, None] * along


_FEWEST_RING, _BLACK, _UNEVEN = 6.0, 0.7, 0.1
"""Pixels of a ring that tells of the light; its dot is at most so light, and it is at most so uneven, as shares of its level."""
