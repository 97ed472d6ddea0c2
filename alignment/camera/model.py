"""Where every plate stands in every shot, for given wheels, paths and angles; and how that moves with each of them.

With ``X₀`` a point of the plate before it rolled, ``Rot(a, θ; p)`` a turn by ``θ`` about the axis through ``p`` along ``a``,
and ``M`` a motion in the plane of the ground:

(1) rolled: ``X = M · Rot(a, θ; p) · X₀``
(2) steered, brakes held: ``X = M · Rot(s, φ; q) · Rot(a, θ_held; p) · X₀``
(3) as it stands now (``still``): each plate by itself.

``a`` is the outboard spin axis, ``s`` the steering axis, upward. All in the rig's frame turned so that z is up.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TypeVar

import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.views import ROWS, TWIST, View, about_points, crossing, turned_by
from alignment.model.formula import Array

Rigid = tuple[Array, Array]
"""A turn (3, 3) and then a shift (3,)."""


@dataclass
class Steering:
    """The axis that a wheel steers about: along ``axis`` (3,) through ``point`` (3,); ``angles`` by shot, radians."""

    axis: Array
    point: Array
    angles: dict[int, float]


@dataclass
class Wheel:
    """A wheel with its plate. ``angles`` are by roll shot, radians, forward of a left wheel positive about its outboard axis;
    the first one, in which it was seen first, is 0. ``held`` is its angle during the sweep, None where it was not seen in
    one, ``stills`` its plate's place in each still.
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

    The first shot of the path is where the vehicle stood, so that it has no unknowns; nor have cameras whose certificate is
    exact. The last of the shared columns are the level's tilt, which is held.
    """

    def __init__(self, scene: Scene) -> None:
        self.own: dict[int, dict[object, slice]] = {}
        for target, wheel in scene.wheels.items():
            self.own[target] = _slices(_of_wheel(wheel))
        first = min(scene.path, default=-1)
        shared: list[tuple[tuple[str, int], int]] = [
            (("path", shot), 3) for shot in sorted(scene.path) if shot != first
        ]
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
        for (part, number), at in self.shared.items():
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


_Key = TypeVar("_Key")


def _slices(parts: Iterable[tuple[_Key, int]]) -> dict[_Key, slice]:
    found, first = {}, 0
    for key, size in parts:
        found[key] = slice(first, first + size)
        first += size
    return found


def _end(slices: Mapping[_Key, slice]) -> int:
    return max((one.stop for one in slices.values()), default=0)


def about(axis: Array, angle: float, point: Array) -> Rigid:
    """A turn about a unit axis through a point: Rodrigues' formula."""
    across = crossing(axis)
    turn = np.eye(3) + np.sin(angle) * across + (1.0 - np.cos(angle)) * (across @ across)
    return turn, point - turn @ point


def after(second: Rigid, first: Rigid) -> Rigid:
    """One rigid motion after another."""
    return second[0] @ first[0], second[0] @ first[1] + second[1]


def along_path(step: Array) -> Rigid:
    """A motion in the plane of the ground: by ``step`` (x, y, yaw), turned about the rig's origin first."""
    x, y, yaw = step.tolist()
    cos, sin = np.cos(yaw), np.sin(yaw)
    return np.array([[cos, -sin, 0.0], [sin, cos, 0.0], [0.0, 0.0, 1.0]]), np.array([x, y, 0.0])


def square_to(axis: Array) -> Array:
    """Two unit vectors (3, 2) square to an axis and to each other."""
    least = np.eye(3)[int(np.argmin(np.abs(axis)))]
    across = crossing(axis)
    one = across @ least
    one /= np.sqrt(one @ one)
    return np.stack((one, across @ one), axis=1)


def adjoint(motion: Rigid) -> Array:
    """What takes twists (6, k) of a body before a rigid motion to twists after it, (6, 6)."""
    turn, shift = motion
    found = np.zeros((TWIST, TWIST))
    found[:3, :3] = found[3:, 3:] = turn
    found[3:, :3] = crossing(shift) @ turn
    return found


class Stands:
    """Where one view's plate stands: ``place``. ``own`` (7, k) and ``common`` (7, c) are the twists that its wheel's own and
    the shared unknowns give it, worked out when they are asked for.
    """

    def __init__(self, scene: Scene, columns: Columns, view: View, move: str) -> None:
        self._scene, self._columns, self._view, self._move = scene, columns, view, move
        self._wheel = wheel = scene.wheels[view.target]
        self._found: tuple[Array, Array] | None = None
        if move == "still":
            self.place = wheel.stills[view.shot]
            return
        angle = wheel.angles[view.shot] if move == "roll" else wheel.held or 0.0
        self._rolls = about(wheel.axis, angle, wheel.point)
        self._path = along_path(scene.path[view.shot])
        self._steers, after_roll = None, self._path
        if move == "sweep" and wheel.steering is not None:
            self._steers = about(wheel.steering.axis, wheel.steering.angles[view.shot], wheel.steering.point)
            after_roll = after(self._path, self._steers)
        self._after_roll = after_roll
        self.place = after(after_roll, after(self._rolls, wheel.plate))

    @property
    def own(self) -> Array:
        return self._twists()[0]

    @property
    def common(self) -> Array:
        return self._twists()[1]

    def _twists(self) -> tuple[Array, Array]:
        if self._found is None:
            own = np.zeros((ROWS, self._columns.count(self._view.target)))
            common = np.zeros((ROWS, self._columns.common))
            if self._move == "still":
                own[:TWIST, self._at(("still", self._view.shot))] = about_points(self.place[1])
            else:
                self._on_path(own, common)
            self._camera(common)
            self._found = own, common
        return self._found

    def _at(self, key: object) -> slice:
        return self._columns.own[self._view.target][key]

    def _on_path(self, own: Array, common: Array) -> None:
        wheel, shot = self._wheel, self._view.shot
        carried = adjoint(self._after_roll) @ _of_an_axis(wheel.axis, wheel.point, self._rolls[0])
        own[:TWIST, self._at("axis")], own[:TWIST, self._at("point")] = carried[:, :2], carried[:, 2:4]
        turns = ("angle", shot) if self._move == "roll" else "held"
        if turns in self._columns.own[self._view.target]:
            own[:TWIST, self._at(turns)] = carried[:, 4:]
        own[:TWIST, self._at("plate")] = adjoint(after(self._after_roll, self._rolls)) @ about_points(wheel.plate[1])
        if self._steers is not None and wheel.steering is not None:
            carried = adjoint(self._path) @ _of_an_axis(wheel.steering.axis, wheel.steering.point, self._steers[0])
            own[:TWIST, self._at("steers")], own[:TWIST, self._at("pivot")] = carried[:, :2], carried[:, 2:4]
            own[:TWIST, self._at(("steered", shot))] = carried[:, 4:]
        if ("path", shot) in self._columns.shared:
            x, y, _ = self._path[1]
            # A yaw turns about the rig's origin before the shift: about where the shift has taken it.
            at = self._columns.shared[("path", shot)]
            common[2, at.stop - 1] = common[3, at.start] = common[4, at.start + 1] = 1.0
            common[3, at.stop - 1], common[4, at.stop - 1] = y, -x

    def _camera(self, common: Array) -> None:
        """A camera that moves sees its plate move the other way; so do all cameras with the level."""
        number, shared = self._view.camera, self._columns.shared
        common[:TILT, -TILT:] = -np.eye(TILT)
        if ("rotation", number) in shared:
            at = shared[("rotation", number)]
            common[:3, at], common[3:TWIST, at] = -np.eye(3), -crossing(self._scene.cameras[number].position)
        if ("position", number) in shared:
            common[3:TWIST, shared[("position", number)]] = -np.eye(3)
        if ("focal", number) in shared:
            common[TWIST, shared[("focal", number)]] = 1.0


def _of_an_axis(axis: Array, point: Array, turn: Array) -> Array:
    """Twists (6, 5) of what an axis through a point carries round by ``turn``: as the axis turns (2) and shifts (2), and as
    it turns on.

    Turning the axis by ε turns what it carries by ε less what the turn makes of ε; shifting it, likewise.
    """
    found = np.zeros((TWIST, 5))
    left = (np.eye(3) - turn) @ square_to(axis)
    across = crossing(point)
    found[:3, :2], found[3:, :2], found[3:, 2:4] = left, across @ left, left
    found[:3, 4], found[3:, 4] = axis, across @ axis
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
