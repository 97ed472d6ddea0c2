"""What gauges that hang from gravity read on a vehicle that stands on tilted ground.

Camber against gravity is the angle by which the outboard spin axis dips below the horizontal. Caster and inclination
are those of the steering axis as it then stands, seen square to the datum line and along it. On level ground all three
are the vehicle's own. The ground's roll and pitch are exact, or unknowns of the phase.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from alignment.model.formula import Formula, Input
from alignment.model.rigid import Vector, dot, spin_axis, steering_axis, up_moves, up_on
from alignment.model.state import DEG, LEVEL, Ground, Layout
from alignment.model.vehicle import side_sign

_STEEPEST = 1e-6
"""Straight up or down an angle has no slope; the floor on the cosine keeps it finite."""


def dip(vector: Vector, up: Vector) -> tuple[float, float]:
    """By how many degrees a unit vector dips below the horizontal, and the slope of that against its height."""
    height = max(-1.0, min(1.0, dot(vector, up)))
    return -DEG * math.asin(height), -DEG / max(math.sqrt(1.0 - height * height), _STEEPEST)


def tilt_inputs(layout: Layout) -> tuple[Input, ...]:
    """Roll and pitch as what a term takes, where they are unknowns; nothing where they are exact."""
    return tuple(Input(((1.0, index),)) for index in layout.tilt()) if layout.tilts else ()


def stands_level(layout: Layout, ground: Ground) -> bool:
    """Whether the ground is known to be level."""
    return ground == LEVEL and not layout.tilts


def tilt(ground: Ground, unknown: Sequence[float]) -> tuple[float, float]:
    """Roll and pitch, radians: the unknown ones where there are, else the ground's own."""
    return (unknown[0], unknown[1]) if unknown else (ground.roll, ground.pitch)


def camber(layout: Layout, ground: Ground, axle: int, side: str) -> Formula:
    """Camber of a wheel against gravity, degrees. Toe enters it on pitched ground, where it is known."""
    own = ((1.0, layout.camber(axle, side)),)
    if stands_level(layout, ground):
        return Formula().plus(((DEG, own[0][1]),))
    return Formula().own(
        _Camber(side_sign(side), ground),
        Input(own),
        Input(layout.toe(axle, side), secondary=True),
        *tilt_inputs(layout),
    )


@dataclass(frozen=True)
class _Camber:
    """Camber against gravity of a wheel on one side: of one wheel it is the same in all rows."""

    sign: float
    ground: Ground

    def __call__(self, x: tuple[float, ...]) -> tuple[float, Sequence[float]]:
        roll, pitch = tilt(self.ground, x[2:])
        axis, by_camber, by_toe = spin_axis(x[0], x[1], self.sign)
        up = up_on(roll, pitch)
        value, slope = dip(axis, up)
        moves = [slope * dot(axis, by) for by in up_moves(roll, pitch)] if x[2:] else []
        return value, (slope * dot(by_camber, up), slope * dot(by_toe, up), *moves)


def steering(layout: Layout, ground: Ground, axle: int, side: str, angle: str) -> Formula:
    """Caster or inclination (``angle`` is ``caster`` or ``sai``) of a wheel against gravity, degrees."""
    caster, sai = layout.caster(axle, side), layout.sai(axle, side)
    if stands_level(layout, ground):
        return Formula().linear(DEG, caster if angle == "caster" else sai)
    sign = side_sign(side)

    def term(x: tuple[float, ...]) -> tuple[float, Sequence[float]]:
        roll, pitch = tilt(ground, x[2:])
        axis, *by_axis = steering_axis(x[0], x[1], sign)
        up, (aside, *aside_moves) = up_on(roll, pitch), _seen_against(angle, sign, roll, pitch)
        along, height = dot(axis, aside), dot(axis, up)
        size = max(along * along + height * height, _STEEPEST**2)
        moves = [(dot(by, aside), dot(by, up)) for by in by_axis]
        if x[2:]:
            ups = up_moves(roll, pitch)
            moves += [(dot(axis, by_aside), dot(axis, by)) for by_aside, by in zip(aside_moves, ups, strict=True)]
        return DEG * math.atan2(along, height), [DEG * (a * height - along * h) / size for a, h in moves]

    return Formula().own(term, Input(((1.0, caster),)), Input(((1.0, sai),)), *tilt_inputs(layout))


def _seen_against(angle: str, sign: float, roll: float, pitch: float) -> tuple[Vector, Vector, Vector]:
    """The level direction that an angle is seen against, rearward for caster, inboard for inclination; its slopes against
    roll and pitch.
    """
    sin_r, cos_r, sin_p, cos_p = math.sin(roll), math.cos(roll), math.sin(pitch), math.cos(pitch)
    if angle == "caster":
        return ((-cos_p, -sin_p * sin_r, -sin_p * cos_r), (0.0, -sin_p * cos_r, sin_p * sin_r),
                (sin_p, -cos_p * sin_r, -cos_p * cos_r))  # fmt: skip
    return (0.0, -sign * cos_r, sign * sin_r), (0.0, sign * sin_r, sign * cos_r), (0.0, 0.0, 0.0)
