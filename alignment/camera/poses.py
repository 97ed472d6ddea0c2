"""One plate before one camera: first poses, each view by itself."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.plates import Plate
from alignment.camera.views import TWIST, Dots, View, crossing, turned_by
from alignment.model.formula import Array

_ROUNDS = 12
_SETTLED = 1e-10


class Poses:
    """Plates as single views place them: ``turns`` (v, 3, 3), ``places`` (v, 3) in the rig's frame, and ``rms`` (v,) of one
    coordinate.
    """

    def __init__(self, turns: Array, places: Array, rms: Array) -> None:
        self.turns, self.places, self.rms = turns, places, rms

    def turned(self, turn: Array) -> Poses:
        """The same in the rig's frame turned by ``turn`` (3, 3)."""
        return Poses(turn @ self.turns, self.places @ turn.T, self.rms)


def single_poses(views: Sequence[View], plates: Sequence[Plate], cameras: Sequence[Camera]) -> Poses:
    """Each view's plate where its own dots place it best.

    A plate seen from afar fits almost as well turned the other way about the line of sight (Collins and Bartoli, IJCV 109,
    2014, give both, from memory): the better of the two after refinement is taken.
    """
    firsts = [_both(view, plates[view.target], cameras[view.camera]) for view in views]
    dots = Dots(views, plates, cameras)
    refined = [
        _refine(dots, np.array([one[way][0] for one in firsts]), np.array([one[way][1] for one in firsts]))
        for way in (0, 1)
    ]
    better = (refined[1].rms < refined[0].rms)[:, None]
    return Poses(
        np.where(better[:, :, None], refined[1].turns, refined[0].turns),
        np.where(better, refined[1].places, refined[0].places),
        np.minimum(refined[0].rms, refined[1].rms),
    )


def _both(view: View, plate: Plate, camera: Camera) -> list[tuple[Array, Array]]:
    on_plate = np.hstack((plate.dots[view.numbers], np.zeros((len(view.numbers), 1))))
    ideal = camera.ideal(view.pixels)
    _, turns, places, _ = cv2.solvePnPGeneric(on_plate, ideal, np.eye(3), None, flags=cv2.SOLVEPNP_IPPE)
    found = []
    for turn, place in zip(turns, places, strict=True):
        matrix = turned_by(np.asarray(turn, dtype=float).ravel())
        found.append(
            (camera.rotation.T @ matrix, camera.rotation.T @ np.asarray(place, dtype=float).ravel() + camera.position)
        )
    return (found * 2)[:2]


def _refine(dots: Dots, turns: Array, places: Array) -> Poses:
    """Gauss-Newton steps of all views at once, each damped by itself (Levenberg and Marquardt)."""
    weights = np.ones(len(dots.views))
    damping = np.full(len(dots.views), 1e-6)
    seen = dots.seen(turns, places, dots.cameras)
    misfit = dots.squares(seen.off)
    for _ in range(_ROUNDS):
        normals, pulls = dots.sums(seen, weights)
        normal, pull = normals[:, :TWIST, :TWIST], pulls[:, :TWIST]
        # A twist about the plate's own middle, where its parts hardly mix.
        own = _about(places)
        normal, pull = own.transpose(0, 2, 1) @ normal @ own, np.einsum("vji,vj->vi", own, pull)
        size = np.sqrt(np.einsum("vii->vi", normal))
        scaled = normal / size[:, :, None] / size[:, None, :] + damping[:, None, None] * np.eye(TWIST)
        step = np.linalg.solve(scaled, (pull / size)[:, :, None])[:, :, 0] / size
        trial_turns, trial_places = turned_by(step[:, :3]) @ turns, places + step[:, 3:]
        trial = dots.seen(trial_turns, trial_places, dots.cameras)
        less = dots.squares(trial.off)
        better = less < misfit
        turns = np.where(better[:, None, None], trial_turns, turns)
        places = np.where(better[:, None], trial_places, places)
        damping = np.where(better, damping / 10, damping * 10)
        settled = np.where(better, misfit - less, 0.0).max() < _SETTLED * max(float(misfit.max()), 1e-12)
        misfit = np.minimum(misfit, less)
        seen = dots.seen(turns, places, dots.cameras)
        if settled:
            break
    return Poses(turns, places, np.sqrt(misfit / np.maximum(2 * dots.count - TWIST, 1)))


def _about(places: Array) -> Array:
    """Twists (v, 6, 6) about points (v, 3) as twists about the origin."""
    found = np.tile(np.eye(TWIST), (len(places), 1, 1))
    found[:, 3:, :3] = crossing(places)
    return found
