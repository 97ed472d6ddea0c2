"""A wheel turned rigidly about its steering axis, as a swing turns it.

It starts at rest, with its own toe and camber, and turns about the axis along ``(-tan k, ∓tan i, 1)`` until the level
heading of its spin axis has changed by a given angle. A rigid turn keeps the angles that the spin axis and the forward
direction make with the axis turned about; that, and the heading, say where both end, without the turn itself:

(1) with the spin axis at heading ``w`` and rising by ``δ``: ``h·cos δ + z·sin δ = p``, where ``h`` and ``z`` are the
    parts of the unit axis along that heading and upwards, and ``p`` its part along the spin axis at rest;
(2) with the forward direction turned up by ``ψ`` from the level about the spin axis: ``g·cos ψ + e·sin ψ = q``, where
    ``g`` and ``e = z·cos δ - h·sin δ`` are the parts of the axis along the level forward direction and upwards square to
    the spin axis, and ``q`` its part along the forward direction at rest.

Slopes follow by differentiating (1) and (2). Seen from outboard both sides are alike: ``a`` and ``b`` are the parts of the
axis forward and outboard. Radians. One wheel at a time in plain floats: for so few that is faster than arrays.
"""

from __future__ import annotations

import math

from alignment.rigid import Vector

Rise = tuple[float, tuple[float, float, float, float]]
"""An angle above the horizontal, and its slopes against caster, inclination, camber and toe."""

_LEAST = 1e-9
"""An axis that lifts a direction by less for a radian of turning cannot bring it to a heading; slopes stay finite."""
_STEEPEST = 1e-6
"""Straight up or down an angle has no slope; the floor on the cosine keeps it finite."""


def _floored(size: float) -> float:
    """Away from zero by a little, on its own side."""
    return math.copysign(max(abs(size), _LEAST), size)


def _kept(level: float, upward: float, kept: float) -> tuple[float, float]:
    """Cosine and sine of the smaller angle ``r`` for which ``level·cos r + upward·sin r = kept``; the nearest where none is."""
    square = max(level * level + upward * upward, _LEAST * _LEAST)
    rest = math.sqrt(max(square - kept * kept, 0.0))
    cosine, sine = (level * kept + upward * rest) / square, (upward * kept - level * rest) / square
    # Of unit length but where no angle keeps so much; there the nearest lies along the two.
    size = math.hypot(cosine, sine)
    return (cosine / size, sine / size) if size else (1.0, 0.0)


def swung(at_rest: tuple[float, float, float, float], sign: float, outward: float, up: Vector) -> tuple[Rise, Rise]:
    """By how much a wheel's outboard spin axis and its forward direction rise above the horizontal after the turn.

    ``at_rest`` are caster, inclination, camber and toe; ``sign`` is +1 for a left wheel, -1 for a right one; ``outward``
    is by how much the heading turns toe-out; ``up`` is straight up seen from the vehicle, x forward, y left, z up.
    """
    caster, sai, camber, toe = at_rest
    tan_k, tan_i = math.tan(caster), math.tan(sai)
    z = 1.0 / math.sqrt(1.0 + tan_k * tan_k + tan_i * tan_i)
    a, b = -tan_k * z, -tan_i * z
    # Of what moves the raw axis, -(1 + tan²) forward or outboard, the part along the axis only stretches it.
    by_k, by_i = (1.0 + tan_k * tan_k) * z, (1.0 + tan_i * tan_i) * z
    axis_moves = ((a * a - 1.0) * by_k, a * b * by_k, a * z * by_k), (a * b * by_i, (b * b - 1.0) * by_i, b * z * by_i)
    sin_t, cos_t, sin_c, cos_c = math.sin(toe), math.cos(toe), math.sin(camber), math.cos(camber)
    sin_w, cos_w = math.sin(toe - outward), math.cos(toe - outward)
    h, g = a * sin_w + b * cos_w, a * cos_w - b * sin_w
    resting, q = a * sin_t + b * cos_t, a * cos_t - b * sin_t
    cos_d, sin_d = _kept(h, z, cos_c * resting - sin_c * z)
    e = z * cos_d - h * sin_d
    cos_s, sin_s = _kept(g, e, q)
    lifts, pitches = 1.0 / _floored(e), 1.0 / _floored(e * cos_s - g * sin_s)
    # Moves of h, g, z, p and q with caster, inclination, camber and toe.
    moves = [
        (da * sin_w + db * cos_w, da * cos_w - db * sin_w, dz,
         cos_c * (da * sin_t + db * cos_t) - sin_c * dz, da * cos_t - db * sin_t)
        for da, db, dz in axis_moves
    ]  # fmt: skip
    moves.append((0.0, 0.0, 0.0, -sin_c * resting - cos_c * z, 0.0))
    moves.append((g, -h, 0.0, cos_c * q, -resting))
    # Against gravity: parts of straight up along the heading, forward, and upwards square to the spin axis.
    along, ahead = up[0] * sin_w + sign * up[1] * cos_w, up[0] * cos_w - sign * up[1] * sin_w
    square = up[2] * cos_d - along * sin_d
    spin, front = along * cos_d + up[2] * sin_d, ahead * cos_s + square * sin_s
    spin_by, front_by = [], []
    for dh, dg, dz, dp, dq in moves:
        lift = (dp - cos_d * dh - sin_d * dz) * lifts
        de = cos_d * dz - sin_d * dh - (sin_d * z + cos_d * h) * lift
        pitch = (dq - cos_s * dg - sin_s * de) * pitches
        spin_by.append(lift * square)
        front_by.append(pitch * (square * cos_s - ahead * sin_s) - sin_s * spin * lift)
    # The heading turns with toe, and with it what lies along it and forward.
    spin_by[3] += cos_d * ahead
    front_by[3] -= cos_s * along + sin_s * sin_d * ahead
    return _above(spin, spin_by), _above(front, front_by)


def _above(height: float, moves: list[float]) -> Rise:
    height = max(-1.0, min(1.0, height))
    level = max(math.sqrt(1.0 - height * height), _STEEPEST)
    return math.asin(height), (moves[0] / level, moves[1] / level, moves[2] / level, moves[3] / level)
