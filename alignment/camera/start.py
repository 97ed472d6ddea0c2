"""First values for the adjustment, from plates as single views place them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.model import Rigid, Scene, Steering, Wheel, about, square_to
from alignment.camera.poses import Poses
from alignment.camera.views import View, rotation_vector
from alignment.model.formula import Array

STEERED_DEG = 2.0
"""A wheel that turned by less in a sweep does not steer (devices.md)."""

Stood = dict[int, dict[int, Rigid]]
"""Where a target's plate stood, by target and shot."""


def stood(views: Sequence[View], poses: Poses) -> Stood:
    """Plates by target and shot; where two cameras see one, the one with more dots says where."""
    found: Stood = {}
    most: dict[tuple[int, int], int] = {}
    for number, view in enumerate(views):
        key = view.target, view.shot
        if len(view.numbers) > most.get(key, 0):
            most[key] = len(view.numbers)
            found.setdefault(view.target, {})[view.shot] = poses.turns[number], poses.places[number]
    return found


def spin(rolls: Sequence[Rigid], outboard: float) -> tuple[Array, Array]:
    """The outboard axis (3,) that a plate turned about, and by how much in each shot since the first (n,), radians.

    The sum of the rotation vectors with their signs aligned: the longest says most. ``outboard`` is +1 left, -1 right.
    """
    first = rolls[0][0]
    vectors = np.array([rotation_vector(turn @ first.T) for turn, _ in rolls])
    longest = vectors[int(np.argmax((vectors * vectors).sum(axis=1)))]
    total = (vectors * np.where(vectors @ longest < 0, -1.0, 1.0)[:, None]).sum(axis=0)
    size = float(np.linalg.norm(total))
    axis = total / size if size > 0 else np.array([0.0, outboard, 0.0])
    axis = axis if axis[1] * outboard > 0 else -axis
    return axis, vectors @ axis


def first_scene(
    plates: Stood, taken: Sequence[Sequence[int]], sides: Sequence[float], cameras: Sequence[Camera]
) -> Scene:
    """A scene near enough for Gauss-Newton steps. ``taken`` are the roll, sweep and still shots, ``sides`` by target, +1 left
    and -1 right.

    Places by linear least squares with level paths: of ``t_k - R_k t_0 = m_k + (I - R_k) p`` for every wheel and shot, the
    paths' shifts ``m_k`` and the axes' places ``p``. Equal wheels that roll together leave a shift of all axes free but for
    that the path is level; without it the start lands metres off.
    """
    rolls, sweeps, stills = taken
    turned = {}
    for target, shots in plates.items():
        seen = [shot for shot in rolls if shot in shots]
        axis, angles = spin([shots[shot] for shot in seen], sides[target])
        turned[target] = seen, axis, angles
    path = {shot: np.zeros(3) for shot in rolls if any(shot in seen for seen, _, _ in turned.values())}
    points = _places(plates, turned, path)
    wheels = {}
    for target, (seen, axis, angles) in turned.items():
        shots = plates[target]
        wheels[target] = Wheel(axis, points[target], shots[seen[0]], dict(zip(seen, angles.tolist(), strict=True)))
        wheels[target].stills = {shot: shots[shot] for shot in stills if shot in shots}
    _sweep(wheels, plates, sweeps, path)
    return Scene(wheels, path, list(cameras))


def _places(
    plates: Stood, turned: Mapping[int, tuple[list[int], Array, Array]], path: dict[int, Array]
) -> dict[int, Array]:
    """A point on each wheel's axis, the one next to its plate's middle; paths' shifts are put into ``path``."""
    moved = [shot for shot in path if shot != min(path)]
    column = {shot: 2 * number for number, shot in enumerate(moved)}
    first = {target: 2 * len(moved) + 2 * number for number, target in enumerate(turned)}
    width = 2 * len(moved) + 2 * len(turned)
    rows, right = [], []
    for target, (seen, axis, angles) in turned.items():
        square, (_, place) = square_to(axis), plates[target][seen[0]]
        for shot, angle in zip(seen, angles, strict=True):
            turn = about(axis, angle, np.zeros(3))[0]
            row = np.zeros((3, width))
            row[:, first[target] : first[target] + 2] = (np.eye(3) - turn) @ square
            shift = plates[target][shot][1] - place - (turn - np.eye(3)) @ place
            if shot in column:
                row[:2, column[shot] : column[shot] + 2] = np.eye(2)
            rows.append(row)
            right.append(shift)
    solved, *_ = np.linalg.lstsq(np.concatenate(rows), np.concatenate(right), rcond=1e-9)
    for shot in moved:
        path[shot][:2] = solved[column[shot] : column[shot] + 2]
    found = {}
    for target, (seen, axis, _) in turned.items():
        point = square_to(axis) @ solved[first[target] : first[target] + 2]
        found[target] = point + axis * float(axis @ (plates[target][seen[0]][1] - point))
    return found


def _sweep(wheels: dict[int, Wheel], plates: Stood, sweeps: Sequence[int], path: dict[int, Array]) -> None:
    """Held angles, steering axes and the path during the sweep, put into ``wheels`` and ``path``."""
    for target, wheel in wheels.items():
        shots = [shot for shot in sweeps if shot in plates[target]]
        if not shots:
            continue
        since = [_since_roll(wheel, plates[target][shot]) for shot in shots]
        turns = [rotation_vector(one @ since[0].T) for one in since]
        wheel.held = _held(wheel, since)
        if max(float(np.linalg.norm(turn)) for turn in turns) > np.radians(STEERED_DEG):
            wheel.steering = _steering(wheel, shots, since, plates[target])
    for shot in sweeps:
        shifts = []
        for target, wheel in wheels.items():
            if shot in plates[target] and wheel.steering is None:
                carried = about(wheel.axis, wheel.held or 0.0, wheel.point)
                shifts.append(plates[target][shot][1] - (carried[0] @ wheel.plate[1] + carried[1]))
        if shifts or any(shot in plates[target] for target in wheels):
            path[shot] = np.array([*np.mean(shifts, axis=0)[:2], 0.0]) if shifts else np.zeros(3)


def _since_roll(wheel: Wheel, now: Rigid) -> Array:
    """How a plate is turned since it was first seen."""
    return np.asarray(now[0] @ wheel.plate[0].T)


def _held(wheel: Wheel, since: Iterable[Array]) -> float:
    """The angle rolled while the brakes were held: what each turn has of it about the spin axis, steering being upright."""
    angles = []
    for turn in since:
        axis = turn @ wheel.axis
        # Steering takes the spin axis along: undo the turn that does it the shortest way.
        cross, dot = np.cross(wheel.axis, axis), float(wheel.axis @ axis)
        size = float(np.linalg.norm(cross))
        back = about(cross / size, -float(np.arctan2(size, dot)), np.zeros(3))[0] if size > 1e-9 else np.eye(3)  # noqa: PLR2004 - no turn
        angles.append(float(rotation_vector(back @ turn) @ wheel.axis))
    return float(np.mean(angles))


def _steering(wheel: Wheel, shots: Sequence[int], since: Sequence[Array], places: Mapping[int, Rigid]) -> Steering:
    """The axis about which a wheel went from one end of the sweep to the other, and where it is."""
    turns = [rotation_vector(one @ since[0].T) for one in since]
    longest = turns[int(np.argmax([float(turn @ turn) for turn in turns]))]
    total = np.sum([turn * (-1.0 if turn @ longest < 0 else 1.0) for turn in turns], axis=0)
    axis = total / np.linalg.norm(total)
    axis = axis if axis[2] > 0 else -axis
    held = about(wheel.axis, wheel.held or 0.0, wheel.point)
    straight = held[0] @ wheel.plate[0], held[0] @ wheel.plate[1] + held[1]
    angles = {shot: float(rotation_vector(places[shot][0] @ straight[0].T) @ axis) for shot in shots}
    rows, right = [], []
    square = square_to(axis)
    for shot in shots[1:]:
        turn = about(axis, angles[shot] - angles[shots[0]], np.zeros(3))[0]
        rows.append((np.eye(3) - turn) @ square)
        right.append(places[shot][1] - turn @ places[shots[0]][1])
    solved, *_ = np.linalg.lstsq(np.concatenate(rows), np.concatenate(right), rcond=1e-6)
    point = square @ solved
    return Steering(axis, point + axis * float(axis @ (straight[1] - point)), angles)
