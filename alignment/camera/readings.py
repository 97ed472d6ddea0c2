"""From the adjusted scene to readings: wheel axes, steering axes, the plumb line, and one covariance of all their rows.

They tell of the vehicle in its first roll shot, or in the last still where there are stills. Slopes against each wheel's own
unknowns and against what all share; ``out_mm`` and the level come on top.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from alignment.camera.bundle import Adjusted
from alignment.camera.model import TILT, Wheel, square_to
from alignment.camera.setups import Target
from alignment.model.formula import Array
from alignment.model.state import DEG
from alignment.model.vehicle import side_sign
from alignment.readings.camera import SteerAxis, WheelAxis
from alignment.readings.plumb import Plumb


@dataclass
class Rows:
    """Rows of readings: what each is of, its number, and its slopes against its wheel's own unknowns and its ``out_mm``.

    Rows of the plumb line are of no wheel: they have slopes ``by_level`` (2,) against turns of the level about x and y,
    radians, and a doubt of their own, ``alone``, degrees.
    """

    names: list[tuple[int, str]] = field(default_factory=list)
    values: list[float] = field(default_factory=list)
    targets: list[int | None] = field(default_factory=list)
    by_own: list[Array] = field(default_factory=list)
    by_out: list[float] = field(default_factory=list)
    by_level: list[Array] = field(default_factory=list)
    alone: list[float] = field(default_factory=list)

    def add(self, reading: int, name: str, target: int, value: float, by_own: Array, by_out: float = 0.0) -> None:
        """One row more, of a wheel."""
        self._add(reading, name, target, value, by_own, by_out, np.zeros(TILT), 0.0)

    def add_plumb(self, reading: int, name: str, value: float, by_level: Array, alone: float) -> None:
        """One row more, of the plumb line."""
        self._add(reading, name, None, value, np.zeros(0), 0.0, by_level, alone)

    def _add(
        self, reading: int, name: str, target: int | None, value: float, by_own: Array, by_out: float, by_level: Array, alone: float
    ) -> None:  # fmt: skip
        self.names.append((reading, name))
        self.values.append(value)
        self.targets.append(target)
        self.by_own.append(by_own)
        self.by_out.append(by_out)
        self.by_level.append(by_level)
        self.alone.append(alone)


@dataclass
class Told:
    """What the pictures tell: ``readings`` as a job file has them, without uncertainties, and their ``rows``."""

    readings: list[dict[str, Any]]
    rows: Rows

    @classmethod
    def nothing(cls) -> Told:
        """Where no wheel could be told."""
        return cls([], Rows())


@dataclass(frozen=True)
class _Wheel:
    """A wheel as the readings are of it: axis and centre, with slopes (3, k) against its own unknowns; ``turn`` is what
    became of it.
    """

    axis: Array
    centre: Array
    axis_by: Array
    centre_by: Array


@dataclass(frozen=True)
class PlumbLine:
    """Straight up against gravity (3,), in the frame whose z is square to the ground, and its own doubt, degrees."""

    up: Array
    u_deg: float


def tell(adjusted: Adjusted, targets: Sequence[Target], still: int | None, plumb: PlumbLine | None = None) -> Told:
    """Readings of every wheel, of every wheel that steers, and of the plumb line; ``still`` is the shot that they tell of, or
    the first roll.
    """
    told = Told([], Rows())
    scene, columns = adjusted.scene, adjusted.columns
    for number, wheel in sorted(scene.wheels.items(), key=lambda one: (targets[one[0]].axle, targets[one[0]].side)):
        if still is not None and still not in wheel.stills:
            continue
        target, at, count = targets[number], columns.own[number], columns.count(number)
        seen = _as_rolled(wheel, at, count, target.out_mm)
        if still is not None:
            now = _in_still(wheel, seen, at, still)
            _wheel_axis(told, number, target, now)
            if wheel.steering is not None:
                axis, by = _steering(wheel, at, count)
                _steer_axis(told, number, target, *_carried(axis, by, seen, now))
            continue
        _wheel_axis(told, number, target, seen)
        if wheel.steering is not None:
            _steer_axis(told, number, target, *_steering(wheel, at, count))
    if plumb is not None and told.readings:
        _plumb(told, plumb)
    return told


@dataclass(frozen=True)
class Centre:
    """A wheel's centre (3,) in the first roll shot, with its slopes (3, k) against the wheel's own unknowns."""

    place: Array
    by: Array


def centre_of(adjusted: Adjusted, number: int, out_mm: float) -> Centre:
    """Where a target's wheel has its centre."""
    columns = adjusted.columns
    seen = _as_rolled(adjusted.scene.wheels[number], columns.own[number], columns.count(number), out_mm)
    return Centre(seen.centre, seen.centre_by)


def _as_rolled(wheel: Wheel, at: Mapping[object, slice], count: int, out_mm: float) -> _Wheel:
    """The centre is the foot of the plate's middle on the axis, less ``out_mm`` along it."""
    square = square_to(wheel.axis)
    axis_by = np.zeros((3, count))
    axis_by[:, at["axis"]] = np.cross(square.T, wheel.axis).T
    aside = wheel.plate[1] - wheel.point
    along = float(wheel.axis @ aside)
    foot = wheel.point + wheel.axis * along
    point_by, place_by = np.zeros((3, count)), np.zeros((3, count))
    point_by[:, at["point"]] = square
    place_by[:, at["plate"]][:, 3:] = np.eye(3)
    along_by = aside @ axis_by + wheel.axis @ (place_by - point_by)
    foot_by = point_by + axis_by * along + np.outer(wheel.axis, along_by)
    return _Wheel(wheel.axis, foot - out_mm * wheel.axis, axis_by, foot_by - out_mm * axis_by)


def _in_still(wheel: Wheel, seen: _Wheel, at: Mapping[object, slice], still: int) -> _Wheel:
    """The wheel carried to where its plate stands now."""
    (turn, place), (first, was) = wheel.stills[still], wheel.plate
    carried = turn @ first.T
    count = seen.axis_by.shape[1]
    was_turned, was_moved, turned, moved = (np.zeros((3, count)) for _ in range(4))
    was_turned[:, at["plate"]][:, :3] = was_moved[:, at["plate"]][:, 3:] = np.eye(3)
    turned[:, at[("still", still)]][:, :3] = moved[:, at[("still", still)]][:, 3:] = np.eye(3)
    axis, offset = carried @ seen.axis, carried @ (seen.centre - was)
    axis_by = carried @ (seen.axis_by - np.cross(was_turned.T, seen.axis).T) + np.cross(turned.T, axis).T
    offset_by = carried @ (seen.centre_by - was_moved - np.cross(was_turned.T, seen.centre - was).T)
    return _Wheel(axis, place + offset, axis_by, moved + offset_by + np.cross(turned.T, offset).T)


def _steering(wheel: Wheel, at: Mapping[object, slice], count: int) -> tuple[Array, Array]:
    assert wheel.steering is not None  # noqa: S101 - asked for steered wheels only
    axis = wheel.steering.axis
    by = np.zeros((3, count))
    by[:, at["steers"]] = np.cross(square_to(axis).T, axis).T
    return axis, by


def _carried(axis: Array, by: Array, before: _Wheel, after: _Wheel) -> tuple[Array, Array]:
    """A steering axis after its wheel was adjusted: the knuckle leans as one piece and turns about that axis.

    Of what turned the spin axis, the part about the steering axis is toe and leaves that where it is; the rest leans both.
    """
    lean = np.cross(axis, before.axis)
    lean /= np.linalg.norm(lean)
    change = after.axis - before.axis
    # A lean by β about ``lean`` moves the spin axis along the steering axis, square to itself; a turn does not.
    along = np.cross(lean, before.axis)
    angle = float(change @ axis) / float(along @ axis)
    moved = axis + angle * np.cross(lean, axis)
    angle_by = (axis @ (after.axis_by - before.axis_by)) / float(along @ axis)
    return moved / np.linalg.norm(moved), by + np.outer(np.cross(lean, axis), angle_by)


def _wheel_axis(told: Told, number: int, target: Target, wheel: _Wheel) -> None:
    sign, axis = side_sign(target.side), wheel.axis
    told.readings.append(
        {
            "kind": "wheel_axis",
            "axle": target.axle,
            "side": target.side,
            "centre_mm": wheel.centre.tolist(),
            "axis": axis.tolist(),
        }
    )
    level = float(np.hypot(axis[0], axis[1]))
    along = np.array([axis[0], axis[1], 0.0]) / level
    ahead = np.array([sign * along[1], -sign * along[0], 0.0])
    toe = DEG * np.array([sign * axis[1], -sign * axis[0], 0.0]) / level**2
    camber = -DEG * np.array([-axis[0] * axis[2] / level, -axis[1] * axis[2] / level, level])
    # Along and square are ways that the reading itself has: they are held, as the core holds them.
    rows = (
        ("along", along, wheel.centre_by, along @ wheel.centre, -float(along @ axis)),
        ("square", ahead, wheel.centre_by, ahead @ wheel.centre, -float(ahead @ axis)),
        ("toe", toe, wheel.axis_by, DEG * np.arctan2(axis[0], sign * axis[1]), 0.0),
        ("camber", camber, wheel.axis_by, -DEG * np.arctan2(axis[2], level), 0.0),
    )
    assert tuple(name for name, *_ in rows) == WheelAxis.ROWS  # noqa: S101 - the reading's own names
    for name, way, by, value, by_out in rows:
        told.rows.add(len(told.readings) - 1, name, number, float(value), way @ by, by_out)


def _steer_axis(told: Told, number: int, target: Target, axis: Array, by: Array) -> None:
    sign = side_sign(target.side)
    told.readings.append({"kind": "steer_axis", "axle": target.axle, "side": target.side, "axis": axis.tolist()})
    x, y, up = axis
    for name, part, way in zip(
        SteerAxis.ROWS, (x, sign * y), (np.array([1.0, 0, 0]), np.array([0, sign, 0.0])), strict=True
    ):
        # -atan(part/up): rearward, and inboard.
        slope = -DEG * (up * way - part * np.array([0, 0, 1.0])) / (up * up + part * part)
        told.rows.add(len(told.readings) - 1, name, number, float(-DEG * np.arctan2(part, up)), slope @ by)


_LEAST_ALONE_DEG = 1e-6
"""A plumb line that is said to be exact is known this well: no covariance is without variance."""


def _plumb(told: Told, plumb: PlumbLine) -> None:
    told.readings.append({"kind": "plumb", "up": plumb.up.tolist()})
    # Where the cameras are turned by t to bring the ground level, straight up turns with them: t x up.
    by_turn = np.cross(np.eye(TILT, 3), plumb.up)
    for part, name in enumerate(Plumb.ROWS):
        lean = float(plumb.up[part])
        slope = DEG / max(np.sqrt(1 - lean * lean), _LEAST_ALONE_DEG)
        alone = max(plumb.u_deg, _LEAST_ALONE_DEG)
        told.rows.add_plumb(len(told.readings) - 1, name, DEG * float(np.arcsin(lean)), slope * by_turn[:, part], alone)


def slopes_of(adjusted: Adjusted, rows: Rows) -> dict[int, Array]:
    """The rows' slopes (r, k) against the unknowns of each wheel."""
    found = {}
    for number in adjusted.scene.wheels:
        found[number] = np.zeros((len(rows.values), adjusted.columns.count(number)))
    for at, (target, by) in enumerate(zip(rows.targets, rows.by_own, strict=True)):
        if target is not None:
            found[target][at] = by
    return found


def by_level(adjusted: Adjusted, rows: Rows) -> Array:
    """How the rows follow turns of the level about x and y (r, 2), radians."""
    return np.asarray(adjusted.by_tilt(slopes_of(adjusted, rows)) + np.reshape(rows.by_level, (-1, TILT)))


def covariance(adjusted: Adjusted, rows: Rows, targets: Sequence[Target], level: Array) -> Array:
    """The covariance (r, r) of all rows by the dots, the certificates, the ``level`` (2, 2), and where plates sit on the
    wheels.
    """
    slopes = slopes_of(adjusted, rows)
    found = adjusted.covariance(slopes)
    follow = by_level(adjusted, rows)
    found += follow @ level @ follow.T
    found += out_covariance(rows, targets) + np.diag(np.square(rows.alone))
    return np.asarray((found + found.T) / 2)


def out_covariance(rows: Rows, targets: Sequence[Target]) -> Array:
    """What is known of where plates sit on the wheels adds so much to the covariance (r, r)."""
    found = np.zeros((len(rows.values), len(rows.values)))
    for number in {target for target in rows.targets if target is not None}:
        moves = np.array(
            [by if target == number else 0.0 for by, target in zip(rows.by_out, rows.targets, strict=True)]
        )
        found += targets[number].u_out_mm ** 2 * np.outer(moves, moves)
    return found
