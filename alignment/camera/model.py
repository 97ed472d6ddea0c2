"""Where every plate stands in every shot, for given wheels, paths and angles; and how that moves with each of them.

With ``X₀`` a point of the plate before it rolled, ``Rot(a, θ; p)`` a turn by ``θ`` about the axis through ``p`` along ``a``, and ``M`` a
motion in the plane of the ground:

(1) rolled: ``X = M · Rot(a, θ; p) · X₀``
(2) steered, brakes held: ``X = M · Rot(s, φ; q) · Rot(a, θ_held; p) · X₀``
(3) as it stands now (``still``): each plate by itself.

``a`` is the outboard spin axis, ``s`` the steering axis, upward. All in the rig's frame turned so that z is up.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.views import ROWS, TWIST, View, crossing, turned_by
from alignment.model.formula import Array

Rigid = tuple[Array, Array]
"""A turn (3, 3) and then a shift (3,)."""
UP = np.array([0.0, 0.0, 1.0])
OF_A_CAMERA = 7
"""Its rotation, its place, its focal length."""


@dataclass
class Steering:
    """The axis that a wheel steers about: along ``axis`` (3,) through ``point`` (3,); ``angles`` by shot, radians."""

    axis: Array
    point: Array
    angles: dict[int, float]


@dataclass
class Wheel:
    """A wheel with its plate. ``angles`` are by roll shot, radians, forward of a left wheel positive about its outboard axis; the
    first one, in which it was seen first, is 0. ``held`` is its angle during the sweep, None where it was not seen in one, ``stills`` its plate's place in each still.
    """

    axis: Array
    point: Array
    plate: Rigid
    angles: dict[int, float]
    held: float | None = None
    steering: Steering | None = None
    stills: dict[int, Rigid] = field(default_factory=dict)


@dataclass
class Scene:
    """All that pictures tell: ``wheels`` by target, ``path`` (x, y, yaw) by shot, and ``cameras`` as they turned out."""

    wheels: dict[int, Wheel]
    path: dict[int, Array]
    cameras: list[Camera]


TILT = 2
"""Turns of the level about x and y: not adjusted, but in every uncertainty."""


class Columns:
    """Which unknowns there are and where each stands: ``own`` those of a target's wheel, ``shared`` those of all.

    The first shot of the path is where the vehicle stood, so that it has no unknowns; nor have cameras whose certificate is exact. The
    last of the shared columns are the level's tilt, which is held.
    """

    def __init__(self, scene: Scene) -> None:
        self.own: dict[int, dict[object, slice]] = {}
        for target, wheel in scene.wheels.items():
            self.own[target] = _slices(_of_wheel(wheel))
        first = min(scene.path, default=-1)
        shared: list[tuple[object, int]] = [(("path", shot), 3) for shot in sorted(scene.path) if shot != first]
        for number, camera in enumerate(scene.cameras):
            doubts = camera.doubts
            parts = (
                ("rotation", doubts.rotation_deg, 3),
                ("position", doubts.position_mm, 3),
                ("focal", doubts.focal, 1),
            )
            shared += [((part, number), size) for part, u, size in parts if u > 0]
        self.shared = _slices(shared)
        self.tilt = slice(_end(self.shared), _end(self.shared) + TILT)

    def count(self, target: int) -> int:
        """How many unknowns a target's wheel has."""
        return _end(self.own[target])

    @property
    def common(self) -> int:
        """How many columns all views share, the level's tilt included."""
        return self.tilt.stop

    def priors(self, cameras: Sequence[Camera]) -> Array:
        """The weight (c,) of what certificates say of the shared unknowns: 1/u², 0 for those that nothing says anything of."""
        found = np.zeros(self.common)
        for key, at in self.shared.items():
            part, number = key if isinstance(key, tuple) else ("", 0)
            if part in ("rotation", "position", "focal"):
                doubts = cameras[number].doubts
                u = {
                    "rotation": np.radians(doubts.rotation_deg),
                    "position": doubts.position_mm,
                    "focal": doubts.focal,
                }[part]
                found[at] = 1.0 / u**2
        return found


def _of_wheel(wheel: Wheel) -> Iterable[tuple[object, int]]:
    yield from (("axis", 2), ("point", 2), ("plate", TWIST))
    first = min(wheel.angles, default=-1)
    yield from ((("angle", shot), 1) for shot in sorted(wheel.angles) if shot != first)
    if wheel.steering is not None:
        yield from (("held", 1), ("steers", 2), ("pivot", 2))
        yield from ((("steered", shot), 1) for shot in sorted(wheel.steering.angles))
    elif wheel.held is not None:
        yield "held", 1
    yield from ((("still", shot), TWIST) for shot in sorted(wheel.stills))


def _slices(parts: Iterable[tuple[object, int]]) -> dict[object, slice]:
    found, first = {}, 0
    for key, size in parts:
        found[key] = slice(first, first + size)
        first += size
    return found


def _end(slices: dict[object, slice]) -> int:
    return max((one.stop for one in slices.values()), default=0)


def about(axis: Array, angle: float, point: Array) -> Rigid:
    """A turn about an axis through a point."""
    turn = turned_by(axis * angle)
    return turn, point - turn @ point


def after(second: Rigid, first: Rigid) -> Rigid:
    """One rigid motion after another."""
    return second[0] @ first[0], second[0] @ first[1] + second[1]


def along_path(step: Array) -> Rigid:
    """A motion in the plane of the ground: by ``step`` (x, y, yaw), turned about the rig's origin first."""
    return turned_by(UP * step[2]), np.array([step[0], step[1], 0.0])


def square_to(axis: Array) -> Array:
    """Two unit vectors (3, 2) square to an axis and to each other."""
    least = np.eye(3)[int(np.argmin(np.abs(axis)))]
    one = np.cross(axis, least)
    one /= np.linalg.norm(one)
    return np.stack((one, np.cross(axis, one)), axis=1)


def carry(motion: Rigid, twists: Array) -> Array:
    """Twists (6, k) of a body before a rigid motion, as twists after it."""
    turn, shift = motion
    spins = turn @ twists[:3]
    return np.vstack((spins, turn @ twists[3:] - np.cross(spins, shift, axis=0)))


class Stands:
    """Where one view's plate stands, and the twists (7, k) that its wheel's own and the shared unknowns give it."""

    def __init__(self, scene: Scene, columns: Columns, view: View, move: str) -> None:
        self._scene, self._view = scene, view
        self._at, self._shared = columns.own[view.target], columns.shared
        self.own = np.zeros((ROWS, columns.count(view.target)))
        self.common = np.zeros((ROWS, columns.common))
        wheel = scene.wheels[view.target]
        self.place = self._still(wheel) if move == "still" else self._on_path(wheel, move)
        self._camera(scene.cameras[view.camera])

    def _still(self, wheel: Wheel) -> Rigid:
        turn, place = wheel.stills[self._view.shot]
        self.own[:TWIST, self._at[("still", self._view.shot)]] = _about_point(place)
        return turn, place

    def _on_path(self, wheel: Wheel, move: str) -> Rigid:
        shot = self._view.shot
        angle = wheel.angles[shot] if move == "roll" else wheel.held or 0.0
        rolls = about(wheel.axis, angle, wheel.point)
        steers = (
            about(wheel.steering.axis, wheel.steering.angles[shot], wheel.steering.point)
            if move == "sweep" and wheel.steering
            else None
        )
        path = along_path(self._scene.path[shot])
        after_roll = path if steers is None else after(path, steers)
        square = square_to(wheel.axis)
        # Turning the axis by ε turns what it carries by ε less what the roll makes of ε; shifting it, likewise.
        left = np.eye(3) - rolls[0]
        turned = left @ square
        axis = np.vstack((turned, np.cross(wheel.point[:, None], turned, axis=0)))
        self._put("axis", carry(after_roll, axis))
        self._put("point", carry(after_roll, np.vstack((np.zeros((3, 2)), left @ square))))
        self._put("plate", carry(after(after_roll, rolls), _about_point(wheel.plate[1])))
        spin = np.concatenate((wheel.axis, np.cross(wheel.point, wheel.axis)))[:, None]
        self._put(("angle", shot) if move == "roll" else "held", carry(after_roll, spin))
        if steers is not None and wheel.steering is not None:
            self._steer(wheel.steering, steers, path)
        if ("path", shot) in self._shared:
            x, y = path[1][:2]
            # A yaw turns about the rig's origin before the shift: about where the shift has taken it.
            self.common[:TWIST, self._shared[("path", shot)]] = np.array(
                [[0, 0, 0], [0, 0, 0], [0, 0, 1], [1, 0, y], [0, 1, -x], [0, 0, 0]], dtype=float
            )
        return after(after_roll, after(rolls, wheel.plate))

    def _steer(self, steering: Steering, steers: Rigid, path: Rigid) -> None:
        square = square_to(steering.axis)
        left = np.eye(3) - steers[0]
        turned = left @ square
        self._put("steers", carry(path, np.vstack((turned, np.cross(steering.point[:, None], turned, axis=0)))))
        self._put("pivot", carry(path, np.vstack((np.zeros((3, 2)), left @ square))))
        turn = np.concatenate((steering.axis, np.cross(steering.point, steering.axis)))[:, None]
        self._put(("steered", self._view.shot), carry(path, turn))

    def _put(self, key: object, twists: Array) -> None:
        if key in self._at:
            self.own[:TWIST, self._at[key]] = twists

    def _camera(self, camera: Camera) -> None:
        """A camera that moves sees its plate move the other way; so do all cameras with the level."""
        number = self._view.camera
        self.common[:TILT, -TILT:] = -np.eye(TILT)
        if ("rotation", number) in self._shared:
            twists = np.vstack((np.eye(3), crossing(camera.position)))
            self.common[:TWIST, self._shared[("rotation", number)]] = -twists
        if ("position", number) in self._shared:
            self.common[3:TWIST, self._shared[("position", number)]] = -np.eye(3)
        if ("focal", number) in self._shared:
            self.common[TWIST, self._shared[("focal", number)]] = 1.0


def _about_point(place: Array) -> Array:
    """Twists (6, 6) about a point as twists about the origin."""
    found = np.eye(TWIST)
    found[3:, :3] = crossing(place)
    return found


def stepped(scene: Scene, columns: Columns, own: dict[int, Array], shared: Array) -> Scene:
    """The scene after a step of its unknowns: ``own`` (k,) by target, ``shared`` (c,)."""
    wheels = {target: _stepped_wheel(wheel, columns.own[target], own[target]) for target, wheel in scene.wheels.items()}
    path = {
        shot: step + shared[columns.shared[("path", shot)]] if ("path", shot) in columns.shared else step
        for shot, step in scene.path.items()
    }
    cameras = []
    for number, camera in enumerate(scene.cameras):
        turn, shift, longer = (
            shared[columns.shared[(part, number)]] if (part, number) in columns.shared else np.zeros(size)
            for part, size in (("rotation", 3), ("position", 3), ("focal", 1))
        )
        cameras.append(
            replace(
                camera,
                rotation=camera.rotation @ turned_by(turn).T,
                position=camera.position + shift,
                focal=camera.focal * (1 + longer[0]),
            )
        )
    return Scene(wheels, path, cameras)


def _stepped_wheel(wheel: Wheel, at: dict[object, slice], step: Array) -> Wheel:
    def moved(motion: Rigid, key: object) -> Rigid:
        twist = step[at[key]]
        return turned_by(twist[:3]) @ motion[0], motion[1] + twist[3:]

    angles = {
        shot: angle + (step[at[("angle", shot)]][0] if ("angle", shot) in at else 0.0)
        for shot, angle in wheel.angles.items()
    }
    steering = wheel.steering
    if steering is not None:
        square = square_to(steering.axis)
        steering = Steering(
            turned_by(square @ step[at["steers"]]) @ steering.axis,
            steering.point + square @ step[at["pivot"]],
            {shot: angle + step[at[("steered", shot)]][0] for shot, angle in steering.angles.items()},
        )
    square = square_to(wheel.axis)
    return Wheel(
        turned_by(square @ step[at["axis"]]) @ wheel.axis,
        wheel.point + square @ step[at["point"]],
        moved(wheel.plate, "plate"),
        angles,
        None if wheel.held is None else wheel.held + step[at["held"]][0],
        steering,
        {shot: moved(still, ("still", shot)) for shot, still in wheel.stills.items()},
    )
