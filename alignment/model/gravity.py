"""What gauges that hang from gravity read on a vehicle that stands on tilted ground.

Camber against gravity is the angle by which the outboard spin axis dips below the horizontal. Caster and inclination
are those of the steering axis as it then stands, seen square to the datum line and along it. On level ground all three
are the vehicle's own.
"""

from __future__ import annotations

import math

from alignment.model.formula import Formula, Slopes, Values
from alignment.model.rigid import Vector, dot, spin_axis, steering_axis, up_on
from alignment.model.state import DEG, LEVEL, Ground, Layout
from alignment.model.vehicle import side_sign

_STEEPEST = 1e-6
"""Straight up or down an angle has no slope; the floor on the cosine keeps it finite."""


def dip(vector: Vector, up: Vector) -> tuple[float, float]:
    """By how many degrees a unit vector dips below the horizontal, and the slope of that against its height."""
    height = max(-1.0, min(1.0, dot(vector, up)))
    return -DEG * math.asin(height), -DEG / max(math.sqrt(1.0 - height * height), _STEEPEST)


def camber(layout: Layout, ground: Ground, axle: int, side: str) -> Formula:
    """Camber of a wheel against gravity, degrees."""
    at_camber = layout.camber(axle, side)
    if ground == LEVEL:
        return Formula().linear(DEG, at_camber)
    sign, up = side_sign(side), up_on(ground.roll, ground.pitch)
    toe, bearing = layout.total_toe(axle), layout.bearing(axle)

    def term(x: Values) -> tuple[float, Slopes]:
        axis, by_camber, by_toe = spin_axis(x[at_camber], x[toe] / 2 + sign * x[bearing], sign)
        value, slope = dip(axis, up)
        turned = slope * dot(by_toe, up)
        return value, ((at_camber, slope * dot(by_camber, up)), (toe, turned / 2), (bearing, turned * sign))

    return Formula().own(term, (at_camber, toe, bearing))


def steering(layout: Layout, ground: Ground, axle: int, side: str, angle: str) -> Formula:
    """Caster or inclination (``angle`` is ``caster`` or ``sai``) of a wheel against gravity, degrees."""
    caster, sai = layout.caster(axle, side), layout.sai(axle, side)
    if ground == LEVEL:
        return Formula().linear(DEG, caster if angle == "caster" else sai)
    sign, up = side_sign(side), up_on(ground.roll, ground.pitch)
    # The level direction that the angle is seen against: rearward for caster, inboard for inclination.
    if angle == "caster":
        sin, cos = math.sin(ground.pitch), math.cos(ground.pitch)
        aside = (-cos, -sin * math.sin(ground.roll), -sin * math.cos(ground.roll))
    else:
        aside = (0.0, -sign * math.cos(ground.roll), sign * math.sin(ground.roll))

    def term(x: Values) -> tuple[float, Slopes]:
        axis, by_caster, by_sai = steering_axis(x[caster], x[sai], sign)
        along, height = dot(axis, aside), dot(axis, up)
        size = max(along * along + height * height, _STEEPEST**2)
        slopes = [
            (index, DEG * (dot(by, aside) * height - along * dot(by, up)) / size)
            for index, by in ((caster, by_caster), (sai, by_sai))
        ]
        return DEG * math.atan2(along, height), slopes

    return Formula().own(term, (caster, sai))
