"""Rigid bodies in three dimensions: a wheel's spin axis, the steering axis it turns about, and the tilted ground.

Axes: x forward, y left, z up (as ISO 8855 names them, from memory). ``sign`` is +1 for a left wheel, -1 for a right
one. Vectors are triples of floats: for one wheel at a time that is faster than arrays (swinging.py has many at a time).
"""

from __future__ import annotations

import math

Vector = tuple[float, float, float]


def dot(a: Vector, b: Vector) -> float:
    """Scalar product."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def spin_axis(camber: float, toe: float, sign: float) -> tuple[Vector, Vector, Vector]:
    """A wheel's outboard spin axis, and its slopes against camber and toe (radians).

    ``(cos c · sin t, ±cos c · cos t, -sin c)``.
    """
    sin_c, cos_c, sin_t, cos_t = math.sin(camber), math.cos(camber), math.sin(toe), math.cos(toe)
    axis = (cos_c * sin_t, sign * cos_c * cos_t, -sin_c)
    by_camber = (-sin_c * sin_t, -sign * sin_c * cos_t, -cos_c)
    by_toe = (cos_c * cos_t, -sign * cos_c * sin_t, 0.0)
    return axis, by_camber, by_toe


def steering_axis(caster: float, sai: float, sign: float) -> tuple[Vector, Vector, Vector]:
    """The unit vector along ``(-tan k, ∓tan i, 1)``, upwards, and its slopes against caster and inclination."""
    tan_k, tan_i = math.tan(caster), math.tan(sai)
    size = math.sqrt(1.0 + tan_k * tan_k + tan_i * tan_i)
    axis = (-tan_k / size, -sign * tan_i / size, 1.0 / size)
    by = []
    for raw in ((-(1.0 + tan_k * tan_k), 0.0, 0.0), (0.0, -sign * (1.0 + tan_i * tan_i), 0.0)):
        along = dot(raw, axis)
        by.append(((raw[0] - along * axis[0]) / size, (raw[1] - along * axis[1]) / size, -along * axis[2] / size))
    return axis, by[0], by[1]


def up_on(roll: float, pitch: float) -> Vector:
    """Straight up as seen from a vehicle on tilted ground: the z of a vector is its scalar product with this.

    The vehicle is turned by roll about x, then by pitch about y.
    """
    return -math.sin(pitch), math.cos(pitch) * math.sin(roll), math.cos(pitch) * math.cos(roll)


def up_moves(roll: float, pitch: float) -> tuple[Vector, Vector]:
    """The slopes of ``up_on`` against roll and pitch."""
    sin_r, cos_r, sin_p, cos_p = math.sin(roll), math.cos(roll), math.sin(pitch), math.cos(pitch)
    return (0.0, cos_p * cos_r, -cos_p * sin_r), (-cos_p, -sin_p * sin_r, -sin_p * cos_r)
