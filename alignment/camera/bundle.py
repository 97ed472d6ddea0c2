"""The adjustment of all dots in all pictures: least squares by Gauss-Newton steps, wheels eliminated.

Unknowns of different wheels touch different dots, so that the normal equations are blocks of one wheel each, ``N_w``, with a border
``B_w`` to the few unknowns that all share: the path and the cameras. With ``C`` those unknowns' own block:

(1) ``(C - Σ B_wᵀ N_w⁻¹ B_w) δ = c - Σ B_wᵀ N_w⁻¹ g_w``
(2) ``δ_w = N_w⁻¹ (g_w - B_w δ)``

the elimination of Brown (1958) and Triggs et al., "Bundle adjustment: a modern synthesis" (2000). Certificates enter as what is known of the
cameras beforehand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.model import Columns, Scene, Stands, stepped
from alignment.camera.plates import Plate
from alignment.camera.views import Dots, View
from alignment.model.formula import Array

_ROUNDS = 30
_SETTLED = 1e-9
"""Of the misfit: a step that takes off less changes nothing worth naming."""
_DAMPING = (1e-9, 1e3)
_LEAST_NOISE = 1e-4
"""Pixels; no camera places dots better."""


@dataclass
class Adjusted:
    """The scene that fits all dots best. ``noise`` is what one coordinate of a target's dots scatters by, pixels; ``off`` (n, 2) all
    residuals, in the order of ``dots``. ``inverses`` (k, k) and ``borders`` (k, c) are by target, ``common`` (c, c) the shared
    unknowns' covariance.
    """

    scene: Scene
    columns: Columns
    dots: Dots
    noise: dict[int, float]
    off: Array
    shifts: Array
    inverses: dict[int, Array]
    borders: dict[int, Array]
    common: Array

    def covariance(self, slopes: Mapping[int, Array], shared: Array) -> Array:
        """The covariance (r, r) of numbers with ``slopes`` (r, k) against each wheel's own unknowns and ``shared`` (r, c)."""
        through = np.array(shared)
        found = np.zeros((len(shared), len(shared)))
        for target, by in slopes.items():
            inverse = self.inverses[target]
            found += by @ inverse @ by.T
            through = through - by @ inverse @ self.borders[target]
        return found + through @ self.common @ through.T


class Bundle:
    """The dots of some views, to be adjusted from one scene or another. ``moves`` are by shot."""

    def __init__(
        self, views: Sequence[View], plates: Sequence[Plate], cameras: Sequence[Camera], moves: Sequence[str]
    ) -> None:
        self.dots = Dots(views, plates, cameras)
        self.moves = moves
        self.certified = cameras

    def adjust(self, scene: Scene, noise: Mapping[int, float]) -> Adjusted:
        """The best scene from a first one; ``noise`` is what each target's dots are first taken to scatter by, pixels."""
        noise = dict(noise)
        for _ in range(2):
            adjusted = self._descend(scene, noise)
            scene, before, noise = adjusted.scene, noise, self._scatter(adjusted)
            if all(abs(noise[target] / before[target] - 1) < 0.05 for target in noise):  # noqa: PLR2004 - weights that hardly change
                break
        return self._descend(scene, noise)

    def _scatter(self, adjusted: Adjusted) -> dict[int, float]:
        """What each target's dots scatter by, its own unknowns allowed for."""
        squares = self.dots.squares(adjusted.off)
        found = {}
        for target in adjusted.scene.wheels:
            mine = [number for number, view in enumerate(self.dots.views) if view.target == target]
            rows = 2 * int(self.dots.count[mine].sum()) - adjusted.columns.count(target)
            found[target] = max(float(np.sqrt(squares[mine].sum() / max(rows, 1))), _LEAST_NOISE)
        return found

    def _descend(self, scene: Scene, noise: Mapping[int, float]) -> Adjusted:
        columns = Columns(scene)
        weights = np.array([1.0 / noise[view.target] ** 2 for view in self.dots.views])
        priors = columns.priors(self.certified)
        shifts = self._shifts(scene, columns)
        stands = self._stand(scene, columns)
        off = self._off(scene, stands)
        misfit = self._misfit(off, weights, shifts, priors)
        damping = _DAMPING[0]
        for _ in range(_ROUNDS):
            equations = self._equations(scene, columns, stands, weights, priors, shifts)
            while True:
                own, shared = equations.step(damping)
                trial = stepped(scene, columns, own, shared)
                trial_stands = self._stand(trial, columns)
                trial_shifts = shifts + shared
                trial_off = self._off(trial, trial_stands)
                less = self._misfit(trial_off, weights, trial_shifts, priors)
                if less <= misfit or damping > _DAMPING[1]:
                    break
                damping = max(damping, 1e-6) * 10
            gained = misfit - less
            if less <= misfit:
                scene, stands, shifts, off, misfit = trial, trial_stands, trial_shifts, trial_off, less
            damping = max(damping / 10, _DAMPING[0])
            if gained <= _SETTLED * max(misfit, 1.0):
                break
        equations = self._equations(scene, columns, stands, weights, priors, shifts)
        inverses, borders, common = equations.inverse()
        return Adjusted(scene, columns, self.dots, dict(noise), off, shifts, inverses, borders, common)

    def _shifts(self, scene: Scene, columns: Columns) -> Array:
        """By how much the shared unknowns of a scene differ from what certificates say of them (c,)."""
        found = np.zeros(columns.common)
        for (part, number), at in ((key, at) for key, at in columns.shared.items() if isinstance(key, tuple)):
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

    def _stand(self, scene: Scene, columns: Columns) -> list[Stands]:
        return [Stands(scene, columns, view, self.moves[view.shot]) for view in self.dots.views]

    def _off(self, scene: Scene, stands: Sequence[Stands]) -> Array:
        return self.dots.seen(*_placed(stands), scene.cameras, slopes=False).off

    def _misfit(self, off: Array, weights: Array, shifts: Array, priors: Array) -> float:
        return float(self.dots.squares(off) @ weights + priors @ (shifts * shifts))

    def _equations(
        self, scene: Scene, columns: Columns, stands: Sequence[Stands], weights: Array, priors: Array, shifts: Array
    ) -> _Equations:
        normal, pull = self.dots.sums(self.dots.seen(*_placed(stands), scene.cameras), weights)
        found = _Equations(columns, priors, shifts)
        for number, (view, stand) in enumerate(zip(self.dots.views, stands, strict=True)):
            found.add(view.target, stand, normal[number], pull[number])
        return found


def _placed(stands: Sequence[Stands]) -> tuple[Array, Array]:
    return np.array([stand.place[0] for stand in stands]), np.array([stand.place[1] for stand in stands])


class _Equations:
    """Normal equations of all views, wheel by wheel."""

    def __init__(self, columns: Columns, priors: Array, shifts: Array) -> None:
        self._own = {t: np.zeros((columns.count(t), columns.count(t))) for t in columns.own}
        self._border = {t: np.zeros((columns.count(t), columns.common)) for t in columns.own}
        self._pull = {t: np.zeros(columns.count(t)) for t in columns.own}
        self._common = np.diag(priors)
        self._shared_pull = -priors * shifts

    def add(self, target: int, stand: Stands, normal: Array, pull: Array) -> None:
        """One view's sums (7, 7) and (7,)."""
        own, common = stand.own, stand.common
        by_own, by_common = own.T @ normal, common.T @ normal
        self._own[target] += by_own @ own
        self._border[target] += by_own @ common
        self._common += by_common @ common
        self._pull[target] += own.T @ pull
        self._shared_pull += common.T @ pull

    def step(self, damping: float) -> tuple[dict[int, Array], Array]:
        """The step of equations (1) and (2)."""
        solved = {t: _inverse(matrix, damping) for t, matrix in self._own.items()}
        reduced, pull = np.array(self._common), np.array(self._shared_pull)
        for target, inverse in solved.items():
            carried = self._border[target].T @ inverse
            reduced -= carried @ self._border[target]
            pull -= carried @ self._pull[target]
        shared = _inverse(reduced, damping) @ pull
        return {t: inverse @ (self._pull[t] - self._border[t] @ shared) for t, inverse in solved.items()}, shared

    def inverse(self) -> tuple[dict[int, Array], dict[int, Array], Array]:
        """The inverse of each wheel's own block, the borders, and the covariance of what all share."""
        inverses = {t: _inverse(matrix, 0.0) for t, matrix in self._own.items()}
        reduced = np.array(self._common)
        for target, inverse in inverses.items():
            reduced -= self._border[target].T @ inverse @ self._border[target]
        return inverses, self._border, _inverse(reduced, 0.0)


def _inverse(matrix: Array, damping: float) -> Array:
    """The inverse of a symmetric matrix scaled to ones on its diagonal; directions that nothing tells get none."""
    size = np.sqrt(np.maximum(matrix.diagonal(), 0.0))
    size = np.where(size > 0, size, 1.0)
    scaled = matrix / size[:, None] / size
    values, vectors = np.linalg.eigh(scaled)
    kept = np.where(values > 1e-13, 1.0 / (np.maximum(values, 1e-13) + damping), 0.0)  # noqa: PLR2004 - the digits of a double
    return np.asarray((vectors * kept) @ vectors.T / size[:, None] / size)
