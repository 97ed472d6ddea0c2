"""Wheels and paths that fit the dots: from first values to a scene in which nothing disagrees any more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from alignment.camera.bundle import Adjusted, Bundle
from alignment.camera.doubts import Warned, worst_doubt
from alignment.camera.lens import Camera
from alignment.camera.model import Scene
from alignment.camera.poses import Poses
from alignment.camera.setups import Setup
from alignment.camera.start import first_scene, spin, stood
from alignment.camera.views import View
from alignment.live.guide import FEWEST_ROLLS
from alignment.model.formula import Array
from alignment.model.vehicle import side_sign

LEAST_ROLLED_DEG = 8.0
"""A wheel that rolled by less tells its axis badly (devices.md)."""
_LEAST_NOISE = 2e-3
"""Pixels: no camera places dots better."""
_MOST_ROUNDS = 12


@dataclass
class Fitted:
    """The scene as far as it could be told, and what was left out of it."""

    adjusted: Adjusted | None
    warned: list[Warned]
    views: list[View]


def noise_of(views: Sequence[View], poses: Poses) -> dict[int, float]:
    """What one coordinate of each target's dots scatters by, pixels: what is left where each view's plate is free."""
    found = {}
    for target in {view.target for view in views}:
        mine = [number for number, view in enumerate(views) if view.target == target]
        rows = np.array([2 * len(views[number].numbers) - 6 for number in mine])
        found[target] = max(float(np.sqrt((poses.rms[mine] ** 2 * rows).sum() / rows.sum())), _LEAST_NOISE)
    return found


def fit(
    setup: Setup, views: Sequence[View], poses: Poses, cameras: Sequence[Camera], *, doubting: bool = True
) -> Fitted:
    """Adjust all views; what does not fit is left out where ``doubting``, the worst first, until all the rest does."""
    kept = np.ones(len(views), dtype=bool)
    warned: list[Warned] = []
    for _ in range(_MOST_ROUNDS):
        warned += _leave_out_untold(setup, views, poses, kept)
        mine: list[int] = np.flatnonzero(kept).tolist()
        if not mine:
            break
        some = [views[number] for number in mine]
        own = poses.of(mine)
        adjusted = _adjust(setup, some, own, cameras)
        doubt = worst_doubt(setup, adjusted) if doubting else None
        if doubt is None:
            return Fitted(_widened(setup, adjusted, some, cameras), warned, some)
        warned += doubt.warned
        for number in mine:
            kept[number] &= not doubt.leaves_out(views[number])
    return Fitted(None, warned, [])


def _leave_out_untold(setup: Setup, views: Sequence[View], poses: Poses, kept: Array) -> list[Warned]:
    """Leave out targets that were seen too seldom or rolled too little: ``kept`` (v,) is changed."""
    rolls = set(setup.taken("roll"))
    some: list[int] = np.flatnonzero(kept).tolist()
    found = []
    shots = stood([views[number] for number in some], poses.of(some))
    for target in sorted(shots):
        seen = [shot for shot in sorted(shots[target]) if shot in rolls]
        warned = None
        if len(seen) < FEWEST_ROLLS:
            warned = Warned(target, "few", {"shots": len(seen)})
        else:
            _, angles = spin([shots[target][shot] for shot in seen], side_sign(setup.targets[target].side))
            rolled = float(np.degrees(angles.max() - angles.min()))
            if rolled < LEAST_ROLLED_DEG:
                warned = Warned(target, "short", {"rolled": rolled})
        if warned is not None:
            found.append(warned)
            for number in some:
                kept[number] &= views[number].target != target
    return found


def _adjust(setup: Setup, views: Sequence[View], poses: Poses, cameras: Sequence[Camera]) -> Adjusted:
    sides = [side_sign(target.side) for target in setup.targets]
    taken = [setup.taken(move) for move in ("roll", "sweep", "still")]
    scene = first_scene(stood(views, poses), taken, sides, cameras)
    return bundle_of(setup, views, noise_of(views, poses), cameras).adjust(scene)


def bundle_of(setup: Setup, views: Sequence[View], noise: dict[int, float], cameras: Sequence[Camera]) -> Bundle:
    """The views of a set-up, to be adjusted."""
    return Bundle(
        views, [target.plate for target in setup.targets], cameras, [shot.move for shot in setup.shots], noise
    )


_WIDER = 1.05


def _widened(setup: Setup, adjusted: Adjusted, views: Sequence[View], cameras: Sequence[Camera]) -> Adjusted:
    """Where dots fit the wheels a little worse than each plate by itself (a yard that is not quite flat), they weigh less."""
    noise = dict(adjusted.noise)
    for target in adjusted.scene.wheels:
        mine = [number for number, view in enumerate(views) if view.target == target]
        rows = 2 * sum(len(views[number].numbers) for number in mine) - adjusted.columns.count(target)
        noise[target] *= max(float(np.sqrt(adjusted.squares[mine].sum() / max(rows, 1))), 1.0)
    if all(noise[target] < _WIDER * adjusted.noise[target] for target in noise):
        return adjusted
    return bundle_of(setup, views, noise, cameras).adjust(adjusted.scene)


def turned(scene: Scene, turn: Array, cameras: Sequence[Camera]) -> Scene:
    """A scene as first values in a frame that is turned by ``turn`` (3, 3), with cameras that already are."""
    wheels = {}
    for target, wheel in scene.wheels.items():
        steering = wheel.steering
        if steering is not None:
            steering = replace(steering, axis=turn @ steering.axis, point=turn @ steering.point)
        wheels[target] = replace(
            wheel, axis=turn @ wheel.axis, point=turn @ wheel.point, plate=(turn @ wheel.plate[0], turn @ wheel.plate[1]),
            steering=steering, stills={shot: (turn @ one[0], turn @ one[1]) for shot, one in wheel.stills.items()},
        )  # fmt: skip
    return Scene(wheels, scene.path, list(cameras))
