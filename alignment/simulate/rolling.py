"""A made-up vehicle with a target on each wheel, rolled, steered and adjusted before the cameras of a rig.

Rigid bodies in the rig's frame, turned by ``scipy``: what pictures are made of, and the truth that they are judged by.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.spatial.transform import Rotation

from alignment.model.formula import Array
from alignment.model.vehicle import side_sign
from alignment.simulate.pictures import Pose

Wheel = tuple[int, str]
"""An axle and a side."""


def _about(axis: Array | Sequence[float], degrees: float) -> Rotation:
    return Rotation.from_rotvec(np.asarray(axis) * math.radians(degrees))


@dataclass(frozen=True)
class RollingWheel:
    """A wheel as it stands at first: ``centre`` (3,) on the tyre's middle plane, angles in degrees as everywhere, ``radius``
    mm.

    Its plate's middle lies ``out_mm`` outboard of the centre along the spin axis and ``off`` (2,) aside of it, forward and
    up, and the plate is turned from facing outboard by ``askew`` (degrees, about the wheel's own forward, up and spin axes).
    """

    axle: int
    side: str
    centre: Array
    toe: float
    camber: float
    radius: float
    out_mm: float
    off: tuple[float, float] = (0.0, 0.0)
    askew: tuple[float, float, float] = (0.0, 0.0, 0.0)
    caster: float | None = None
    sai: float | None = None

    @property
    def sign(self) -> float:
        return side_sign(self.side)

    @property
    def turned(self) -> Rotation:
        """The wheel's own frame (x forward, y left, z up along its plane) in the rig's."""
        return _about([0.0, 0.0, 1.0], -self.sign * self.toe) * _about([1.0, 0.0, 0.0], -self.sign * self.camber)

    @property
    def spin(self) -> Array:
        """The outboard spin axis."""
        return np.asarray(self.turned.apply([0.0, self.sign, 0.0]))

    @property
    def plate(self) -> Pose:
        """How its plate stands: x right and y down as seen from outboard, z inboard."""
        # From outboard of a left wheel forward lies to the left, of a right one to the right.
        facing = np.stack(([-self.sign, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, -self.sign, 0.0]), axis=1)
        turned = self.turned * Rotation.from_euler("xzy", self.askew, degrees=True)
        place = self.centre + self.turned.apply([self.off[0], self.sign * self.out_mm, self.off[1]])
        return Pose(np.asarray(turned.as_matrix() @ facing), np.asarray(place))

    @property
    def steering(self) -> Array:
        """The unit steering axis, upward."""
        axis = np.array(
            [-math.tan(math.radians(self.caster or 0)), -self.sign * math.tan(math.radians(self.sai or 0)), 1.0]
        )
        return np.asarray(axis / np.linalg.norm(axis))

    def pivot(self) -> Array:
        """A point on the steering axis: inboard of the centre at its height. Invented."""
        return np.asarray(self.centre - np.array([0.0, self.sign * 90.0, 0.0]))


@dataclass(frozen=True)
class Moment:
    """What was done by one shot: the vehicle moved ``ahead`` and ``aside`` mm and turned by ``yaw`` degrees, its wheels
    ``rolled`` by angles of their own where they do not roll as the way says, ``steered`` by degrees about their steering
    axes, or ``adjusted`` to other toe and camber; ``up`` lifts it.
    """

    move: str
    ahead: float = 0.0
    aside: float = 0.0
    yaw: float = 0.0
    up: float = 0.0
    rolled: Mapping[Wheel, float] = field(default_factory=dict)
    steered: Mapping[Wheel, float] = field(default_factory=dict)
    adjusted: Mapping[Wheel, tuple[float, float]] = field(default_factory=dict)
    slipped: Mapping[Wheel, float] = field(default_factory=dict)


def plates_at(wheels: Sequence[RollingWheel], moment: Moment) -> dict[Wheel, Pose]:
    """How every plate stands at a moment."""
    return {(wheel.axle, wheel.side): _plate_at(wheel, moment) for wheel in wheels}


def _plate_at(wheel: RollingWheel, moment: Moment) -> Pose:
    key = wheel.axle, wheel.side
    if key in moment.adjusted:
        toe, camber = moment.adjusted[key]
        wheel = replace(wheel, toe=toe, camber=camber)
    plate = wheel.plate
    angle = moment.rolled.get(key)
    if angle is None:
        angle = rolled_by(wheel, moment)
    turn = _about(wheel.spin * wheel.sign, angle)
    slip = moment.slipped.get(key, 0.0)
    own = Rotation.from_matrix(plate.turn) * _about([1.0, 0.0, 0.0], slip)
    place = wheel.centre + turn.apply(plate.place - wheel.centre)
    turned = turn * own
    if key in moment.steered:
        swing = _about(wheel.steering, moment.steered[key])
        place = wheel.pivot() + swing.apply(place - wheel.pivot())
        turned = swing * turned
    yaw = _about([0.0, 0.0, 1.0], moment.yaw)
    place = yaw.apply(place) + np.array([moment.ahead, moment.aside, moment.up])
    return Pose(np.asarray((yaw * turned).as_matrix()), np.asarray(place))


def rolled_by(wheel: RollingWheel, moment: Moment) -> float:
    """By how many degrees a wheel turns forward as its centre goes along its heading."""
    yaw = _about([0.0, 0.0, 1.0], moment.yaw)
    way = yaw.apply(wheel.centre) + np.array([moment.ahead, moment.aside, 0.0]) - wheel.centre
    heading = np.cross(wheel.spin * wheel.sign, [0.0, 0.0, 1.0])
    return math.degrees(float(way @ heading) / np.linalg.norm(heading) / wheel.radius)
