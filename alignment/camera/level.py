"""The frame of the readings: the rig's, turned the shortest way so that z is square to the ground.

Where the rig has no level, the ground is the plane through the wheels' contact points, each a rolling radius below its
wheel's centre. A rolling radius stands for the height of the centre only to about a hundredth (devices.md), each by itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from alignment.camera.bundle import Adjusted
from alignment.camera.lens import Camera
from alignment.camera.model import along_path
from alignment.camera.readings import centre_of
from alignment.camera.setups import Target
from alignment.camera.views import turned_by
from alignment.model.formula import Array

HEIGHT_SHARE = 0.01
"""Standard uncertainty of a rolling radius as the height of the centre, as a share of it (devices.md)."""
_FEWEST_WHEELS = 3
_WIDEST = 1e-3
"""Wheels that stand nearly on a line do not tell a plane: the least of their spread as a share of the most."""


def shortest_turn(up: Array) -> Array:
    """The rotation (3, 3) that takes ``up`` to z the shortest way."""
    across = np.cross(up, [0.0, 0.0, 1.0])
    sine = float(np.linalg.norm(across))
    if sine < 1e-15:  # noqa: PLR2004 - none, or half a turn about any level axis
        return np.eye(3) if up[2] > 0 else np.diag([1.0, -1.0, -1.0])
    return turned_by(across / sine * float(np.arctan2(sine, up[2])))


def levelled(cameras: Sequence[Camera], up: Array) -> list[Camera]:
    """Cameras in the rig's frame turned so that z is ``up``."""
    turn = shortest_turn(up)
    return [camera.turned(turn) for camera in cameras]


@dataclass(frozen=True)
class RollingRadius:
    """How far a wheel's centre went for a radian that it rolled, mm, with its standard uncertainty by the dots and the level."""

    value: float
    u: float


def rolling_radius(adjusted: Adjusted, target: int, out_mm: float, level: Array | None = None) -> RollingRadius:
    """The centre's way along the wheel's heading over the angle rolled, through all roll shots; ``level`` (2, 2) is the
    covariance of the level, radians, where it is not exact.
    """
    wheel, columns = adjusted.scene.wheels[target], adjusted.columns
    sign = 1.0 if wheel.axis[1] > 0 else -1.0
    centre = centre_of(adjusted, target, out_mm).place
    heading = np.cross(wheel.axis * sign, [0.0, 0.0, 1.0])
    heading /= np.linalg.norm(heading)
    shots = sorted(wheel.angles)
    moved = [along_path(adjusted.scene.path[shot]) for shot in shots]
    way = np.array([float((turn @ centre + shift) @ heading) for turn, shift in moved])
    # Counted from the first shot in which it was seen, as its angle is.
    way -= way[0]
    angle = np.array([wheel.angles[shot] * sign for shot in shots])
    total = float(angle @ angle)
    radius = float(way @ angle / total)
    own, shared = np.zeros((1, columns.count(target))), np.zeros((1, columns.common))
    # A way moves with its shot's path, and against that of the first.
    by_path = np.array([heading[0], heading[1], heading[1] * centre[0] - heading[0] * centre[1]]) / total
    for number, shot in enumerate(shots):
        if ("angle", shot) in columns.own[target]:
            own[0, columns.own[target][("angle", shot)]] = sign * (way[number] - 2 * radius * angle[number]) / total
        for one, share in ((shot, angle[number]), (shots[0], -angle[number])):
            if ("path", one) in columns.shared:
                shared[0, columns.shared[("path", one)]] += share * by_path
    variance = float(adjusted.covariance({target: own}, shared)[0, 0])
    if level is not None:
        follow = adjusted.by_tilt({target: own}, shared)
        variance += float((follow @ level @ follow.T)[0, 0])
    return RollingRadius(radius, max(variance, 0.0) ** 0.5)


@dataclass(frozen=True)
class Ground:
    """By how much (2,), radians about x and y, the cameras must be turned for the ground to be level; and that turn's
    covariance.
    """

    turn: Array
    covariance: Array


def ground_under(adjusted: Adjusted, targets: Sequence[Target]) -> Ground | None:
    """The ground through the contact points; None where they do not tell a plane."""
    numbers = sorted(adjusted.scene.wheels)
    if len(numbers) < _FEWEST_WHEELS:
        return None
    centres = [centre_of(adjusted, number, targets[number].out_mm) for number in numbers]
    places = np.array([centre.place for centre in centres])
    level = np.hstack((np.ones((len(numbers), 1)), (places - places.mean(axis=0))[:, :2]))
    spread = np.linalg.svd(level[:, 1:], compute_uv=False)
    if spread[1] < _WIDEST * spread[0]:
        return None
    radii = [rolling_radius(adjusted, number, targets[number].out_mm) for number in numbers]
    slopes = np.linalg.pinv(level)[1:]
    tilt = slopes @ (places[:, 2] - [one.value for one in radii])
    follow = np.vstack(
        [adjusted.by_tilt({number: centre.by[2:]}) for number, centre in zip(numbers, centres, strict=True)]
    )
    answers = np.linalg.solve(slopes @ follow, slopes)
    doubt = np.diag([(HEIGHT_SHARE * one.value) ** 2 + one.u**2 for one in radii])
    return Ground(-np.linalg.solve(slopes @ follow, tilt), answers @ doubt @ answers.T)
