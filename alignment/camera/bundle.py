"""The adjustment of all dots in all pictures: least squares by Gauss-Newton steps, wheels eliminated.

Unknowns of different wheels touch different dots, so that the normal equations are blocks of one wheel each, ``N_w``, with a
border ``B_w`` to the few unknowns that all share: the path and the cameras. With ``C`` those unknowns' own block:

(1) ``(C - Σ B_wᵀ N_w⁻¹ B_w) δ = c - Σ B_wᵀ N_w⁻¹ g_w``
(2) ``δ_w = N_w⁻¹ (g_w - B_w δ)``

the elimination of Brown (1958) and Triggs et al., "Bundle adjustment: a modern synthesis" (2000), from memory. Certificates
enter as what is known of the cameras beforehand. The level is held: by how much all would follow it is kept, so that its
doubt counts.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.model import TILT, Columns, Scene, Stands, stepped
from alignment.camera.plates import Plate
from alignment.camera.views import Dots, View
from alignment.model.formula import Array

_ROUNDS = 30
_SETTLED = 1e-4
"""A step that takes off less of the sum of squares, in units of the dots' noise, changes nothing worth naming."""
_DAMPING = (0.0, 1e-6, 1e3)
"""None at first, then from the second on, and never beyond the third."""


@dataclass
class Adjusted:
    """The scene that fits all dots best. ``noise`` is what one coordinate of a target's dots is taken to scatter by, pixels;
    ``squares`` (v,) are the views' weighted sums of squares, ``stands`` where each view's plate is. ``inverses`` (k, k) and
    ``borders`` (k, c) are by target, ``common`` (c, c) the covariance of what all share, ``follows`` (c, 2) how that follows
    the level.
    """

    scene: Scene
    columns: Columns
    dots: Dots
    noise: dict[int, float]
    squares: Array
    stands: list[Stands]
    normal: Array
    pull: Array
    inverses: dict[int, Array]
    borders: dict[int, Array]
    common: Array
    follows: Array

    def by_shared(self, slopes: Mapping[int, Array], shared: Array | None = None) -> Array:
        """How numbers with ``slopes`` (r, k) against each wheel's own unknowns and ``shared`` (r, c) follow what all share
        (r, c), their wheels' unknowns adjusted to it.
        """
        count = len(next(iter(slopes.values())))
        found = np.zeros((count, self.columns.common)) if shared is None else np.array(shared)
        for target, by in slopes.items():
            found -= by @ self.inverses[target] @ self.borders[target]
        return found

    def covariance(self, slopes: Mapping[int, Array], shared: Array | None = None) -> Array:
        """The covariance (r, r) of numbers with such slopes, the level being exact."""
        through = self.by_shared(slopes, shared)
        alone = sum(by @ self.inverses[target] @ by.T for target, by in slopes.items())
        return np.asarray(alone + through @ self.common @ through.T)

    def by_tilt(self, slopes: Mapping[int, Array], shared: Array | None = None) -> Array:
        """How numbers with ``slopes`` (r, k), and ``shared`` (r, c), follow turns of the level about x and y, (r, 2), radians."""
        return np.asarray(self.by_shared(slopes, shared) @ self.follows)


class Bundle:
    """The dots of some views, to be adjusted from one scene or another. ``moves`` are by shot, ``noise`` by target, pixels."""

    def __init__(
        self,
        views: Sequence[View],
        plates: Sequence[Plate],
        cameras: Sequence[Camera],
        moves: Sequence[str],
        noise: Mapping[int, float],
    ) -> None:
        self.dots = Dots(views, plates, cameras)
        self.moves, self.certified, self.noise = moves, cameras, dict(noise)
        self._weights = np.array([1.0 / noise[view.target] ** 2 for view in views])

    def adjust(self, scene: Scene) -> Adjusted:
        """The best scene from a first one."""
        columns = Columns(scene)
        priors = columns.priors(self.certified)
        at = self._at(scene, columns, priors)
        damping = _DAMPING[0]
        for _ in range(_ROUNDS):
            equations = self._equations(at)
            trial = self._better(at, equations, damping)
            while trial.misfit > at.misfit and damping < _DAMPING[2]:
                damping = max(damping * 10, _DAMPING[1])
                trial = self._better(at, equations, damping)
            gained = at.misfit - trial.misfit
            if gained >= 0:
                at = trial
            damping = damping / 10 if damping > _DAMPING[1] else _DAMPING[0]
            if gained <= _SETTLED:
                break
        equations = self._equations(at)
        inverses, borders, common, follows = equations.inverse()
        squares = self.dots.squares(at.off) * self._weights
        return Adjusted(
            at.scene, columns, self.dots, self.noise, squares, at.stands, equations.normal, equations.pull, inverses, borders, common, follows
        )  # fmt: skip

    def off(self, scene: Scene) -> Array:
        """What every dot is off by in a scene, weighted (n, 2)."""
        columns = Columns(scene)
        at = self._at(scene, columns, columns.priors(self.certified))
        return np.asarray(at.off * np.sqrt(self._weights)[self.dots.of][:, None])

    def _at(self, scene: Scene, columns: Columns, priors: Array) -> _At:
        stands = [Stands(scene, columns, view, self.moves[view.shot]) for view in self.dots.views]
        places = np.array([stand.place[0] for stand in stands]), np.array([stand.place[1] for stand in stands])
        off = self.dots.seen(*places, scene.cameras, slopes=False).off
        shifts = self._shifts(scene, columns)
        misfit = float(self.dots.squares(off) @ self._weights + priors @ (shifts * shifts))
        return _At(scene, columns, priors, stands, places, off, shifts, misfit)

    def _better(self, at: _At, equations: _Equations, damping: float) -> _At:
        return self._at(stepped(at.scene, at.columns, *equations.step(damping)), at.columns, at.priors)

    def _shifts(self, scene: Scene, columns: Columns) -> Array:
        """By how much the shared unknowns of a scene differ from what certificates say of them (c,)."""
        found = np.zeros(columns.common)
        for (part, number), at in columns.shared.items():
            if part == "path":
                continue
            now, said = scene.cameras[number], self.certified[number]
            if part == "position":
                found[at] = now.position - said.position
            elif part == "focal":
                found[at] = np.log(now.focal[0] / said.focal[0])
            else:
                turn = now.rotation.T @ said.rotation
                found[at] = np.array([turn[2, 1] - turn[1, 2], turn[0, 2] - turn[2, 0], turn[1, 0] - turn[0, 1]]) / 2
        return found

    def _equations(self, at: _At) -> _Equations:
        normal, pull = self.dots.sums(self.dots.seen(*at.places, at.scene.cameras), self._weights)
        return _Equations(at, self.dots.views, normal, pull)


@dataclass
class _At:
    """A scene and how well it fits."""

    scene: Scene
    columns: Columns
    priors: Array
    stands: list[Stands]
    places: tuple[Array, Array]
    off: Array
    shifts: Array
    misfit: float


class _Equations:
    """Normal equations, wheel by wheel, of all views' sums: ``normal`` (v, 7, 7) and ``pull`` (v, 7)."""

    def __init__(self, at: _At, views: Sequence[View], normal: Array, pull: Array) -> None:
        self.normal, self.pull = normal, pull
        self._free = slice(0, at.columns.tilt.start)
        self._own, self._border, self._pull = {}, {}, {}
        self._common, self._shared_pull = np.diag(at.priors), -at.priors * at.shifts
        for target in at.columns.own:
            mine = [number for number, view in enumerate(views) if view.target == target]
            own = np.array([at.stands[number].own for number in mine])
            common = np.array([at.stands[number].common for number in mine])
            rows = own.shape[0] * own.shape[1]
            by_own = (normal[mine] @ own).reshape(rows, -1)
            by_common = (normal[mine] @ common).reshape(rows, -1)
            own, common, pulls = own.reshape(rows, -1), common.reshape(rows, -1), pull[mine].ravel()
            self._own[target] = own.T @ by_own
            self._border[target] = by_own.T @ common
            self._common += common.T @ by_common
            self._pull[target] = own.T @ pulls
            self._shared_pull += common.T @ pulls

    def step(self, damping: float) -> tuple[dict[int, Array], Array]:
        """The step of equations (1) and (2); the level stays."""
        solved = {target: _inverse(matrix, damping) for target, matrix in self._own.items()}
        reduced, pull = np.array(self._common), np.array(self._shared_pull)
        for target, inverse in solved.items():
            carried = self._border[target].T @ inverse
            reduced -= carried @ self._border[target]
            pull -= carried @ self._pull[target]
        shared, free = np.zeros(len(pull)), self._free
        shared[free] = _inverse(reduced[free, free], damping) @ pull[free]
        own = {
            target: inverse @ (self._pull[target] - self._border[target] @ shared) for target, inverse in solved.items()
        }
        return own, shared

    def inverse(self) -> tuple[dict[int, Array], dict[int, Array], Array, Array]:
        """The inverse of each wheel's own block, the borders, the covariance of what all share, and how that follows the
        level.
        """
        inverses = {target: _inverse(matrix, 0.0) for target, matrix in self._own.items()}
        reduced = np.array(self._common)
        for target, inverse in inverses.items():
            reduced -= self._border[target].T @ inverse @ self._border[target]
        free, held = self._free, slice(self._free.stop, len(reduced))
        common, follows = np.zeros_like(reduced), np.zeros((len(reduced), TILT))
        common[free, free] = _inverse(reduced[free, free], 0.0)
        follows[free] = -common[free, free] @ reduced[free, held]
        follows[held] = np.eye(TILT)
        return inverses, self._border, common, follows


_DIGITS = 1e-13
"""Of the largest: a direction that the dots tell less of is lost in the last digits, and gets none."""


def _inverse(matrix: Array, damping: float) -> Array:
    """The inverse of a symmetric matrix scaled to ones on its diagonal."""
    size = np.sqrt(np.maximum(matrix.diagonal(), 0.0))
    size = np.where(size > 0, size, 1.0)
    values, vectors = np.linalg.eigh(matrix / size[:, None] / size + damping * np.eye(len(size)))
    kept = np.where(values > _DIGITS, 1.0 / np.maximum(values, _DIGITS), 0.0)
    return np.asarray((vectors * kept) @ vectors.T / size[:, None] / size)
