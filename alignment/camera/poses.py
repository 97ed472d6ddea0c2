"""One plate before one camera: first poses, each view by itself."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.plates import Plate
from alignment.camera.views import TWIST, Dots, View, about_points, turned_by
from alignment.model.formula import Array

_ROUNDS = 12
_SETTLED = 1e-10


class Poses:
    """Plates as single views place them: ``turns`` (v, 3, 3), ``places`` (v, 3) in the rig's frame, and ``rms`` (v,) of one
    coordinate. ``other`` are the plates turned the other way about the line of sight, which fit worse.
    """

    def __init__(self, turns: Array, places: Array, rms: Array, other: Poses | None = None) -> None:
        self.turns, self.places, self.rms, self.other = turns, places, rms, other

    def turned(self, turn: Array) -> Poses:
        """The same in the rig's frame turned by ``turn`` (3, 3)."""
        return Poses(turn @ self.turns, self.places @ turn.T, self.rms)

    def of(self, views: Sequence[int]) -> Poses:
        """Those of some views."""
        return Poses(self.turns[views], self.places[views], self.rms[views])


def agreeing(views: Sequence[View], poses: Poses) -> Poses:
    """The poses of plates on wheels: where both ways of a view fit about as well, the one that goes with its target's surest
    view.

    A wheel turns about an axis across the vehicle, and hardly otherwise; taken the wrong way round it would lean by some
    sixty degrees.
    """
    other = poses.other
    if other is None:
        return poses
    sure = other.rms / np.maximum(poses.rms, np.finfo(float).tiny)
    take = np.zeros(len(views), dtype=bool)
    for target in {view.target for view in views}:
        mine = [number for number, view in enumerate(views) if view.target == target]
        first = max(mine, key=lambda number: sure[number])
        for number in mine:
            if sure[number] < _SURE and number != first:
                leans = [_leans(one.turns[number] @ poses.turns[first].T) for one in (poses, other)]
                take[number] = leans[1] < leans[0]
    return Poses(
        np.where(take[:, None, None], other.turns, poses.turns),
        np.where(take[:, None], other.places, poses.places),
        np.where(take, other.rms, poses.rms),
    )


_SURE = 3.0
"""A view whose other way fits so many times worse is surely seen the right way."""


def _leans(turn: Array) -> float:
    """By what cosine, taken from 1, a turn moves the direction across the vehicle."""
    return 1.0 - float(turn[1, 1])


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
    first, second = refined
    return Poses(
        np.where(better[:, :, None], second.turns, first.turns),
        np.where(better, second.places, first.places),
        np.minimum(first.rms, second.rms),
        Poses(
            np.where(better[:, :, None], first.turns, second.turns),
            np.where(better, first.places, second.places),
            np.maximum(first.rms, second.rms),
        ),
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
        own = about_points(places)
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
