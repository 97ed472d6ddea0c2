"""Wheels turned rigidly about their steering axes, many at a time.

A wheel starts at rest, with its own toe and camber, and turns about the axis along ``(-tan k, ∓tan i, 1)`` until the
level heading of its spin axis has changed by a given angle. A rigid turn keeps the angles that the spin axis and the
forward direction make with the axis turned about; that, and the heading, say where both end, without the turn itself:

(1) with the spin axis at heading ``w`` and rising by ``δ``: ``h·cos δ + z·sin δ = p``, where ``h`` and ``z`` are the
    parts of the unit axis along that heading and upwards, and ``p`` its part along the spin axis at rest;
(2) with the forward direction turned up by ``ψ`` from the level about the spin axis: ``g·cos ψ + e·sin ψ = q``, where
    ``g`` and ``e = z·cos δ - h·sin δ`` are the parts of the axis along the level forward direction and upwards square to
    the spin axis, and ``q`` its part along the forward direction at rest.

Slopes follow by differentiating (1) and (2). Seen from outboard both sides are alike: ``a`` and ``b`` are the parts of the
axis forward and outboard. Radians; arrays are over ends (n,): one wheel turned one way.
"""

from __future__ import annotations

import numpy as np

from alignment.formula import Array

_LEAST = 1e-9
"""An axis that lifts a direction by less for a radian of turning cannot bring it to a heading; slopes stay finite."""
_STEEPEST = 1e-6
"""Straight up or down an angle has no slope; the floor on the cosine keeps it finite."""
_CASTER, _SAI, _CAMBER, _TOE = range(4)


def _floored(size: Array, least: float) -> Array:
    """Away from zero by at least so much, on its own side."""
    return np.copysign(np.maximum(np.abs(size), least), size)


def _rise(level: Array, upward: Array, kept: Array) -> tuple[Array, Array]:
    """Cosine and sine of the smaller angle ``r`` for which ``level·cos r + upward·sin r = kept``; the nearest where none is."""
    share = kept / np.maximum(np.hypot(level, upward), _LEAST)
    angle = np.arctan2(upward, level) - np.arccos(np.minimum(np.maximum(share, -1.0), 1.0))
    return np.cos(angle), np.sin(angle)


def _axes(caster: Array, sai: Array) -> tuple[Array, Array]:
    """The unit axis forward, outboard and upwards (3, n), and how it moves with caster and inclination (3, 2, n)."""
    tan_k, tan_i = np.tan(caster), np.tan(sai)
    by_k, by_i = 1.0 + tan_k * tan_k, 1.0 + tan_i * tan_i
    upward = 1.0 / np.sqrt(by_k + tan_i * tan_i)
    axis = np.array((-tan_k, -tan_i, np.ones_like(tan_k))) * upward
    # Of what moves the raw axis, -(1 + tan²) forward or outboard, the part along the axis only stretches it.
    moves = axis[:, None] * np.array((axis[0] * by_k, axis[1] * by_i)) * upward
    moves[0, 0] -= by_k * upward
    moves[1, 1] -= by_i * upward
    return axis, moves


def heights(
    unknowns: Array, sign: Array, outward: Array, up: tuple[float, float, float]
) -> tuple[tuple[Array, Array], tuple[Array, Array]]:
    """By how many radians spin axis and forward direction rise above the horizontal after the turn.

    ``unknowns`` (5, n): caster, inclination, camber, total toe and bearing. ``sign`` (n,) is +1 for left wheels, -1 for
    right ones; ``outward`` (n,) by how much the heading turns toe-out; ``up`` is straight up seen from the vehicle, x
    forward, y left, z up. Answers for each the angles (n,) and their slopes against the unknowns (5, n).
    """
    caster, sai, camber, total, bearing = unknowns
    toe = total / 2 + sign * bearing
    (a, b, z), moves = _axes(caster, sai)
    (sin_t, sin_c, sin_w), (cos_t, cos_c, cos_w) = (f(np.array((toe, camber, toe - outward))) for f in (np.sin, np.cos))
    resting = a * sin_t + b * cos_t
    h, g, q = a * sin_w + b * cos_w, a * cos_w - b * sin_w, a * cos_t - b * sin_t
    p = cos_c * resting - sin_c * z
    by_h, by_g, by_q, by_p, by_z = np.zeros((5, 4, len(toe)))
    by_a, by_b, by_z[:2] = moves
    by_h[:2], by_h[_TOE] = by_a * sin_w + by_b * cos_w, g
    by_g[:2], by_g[_TOE] = by_a * cos_w - by_b * sin_w, -h
    by_q[:2], by_q[_TOE] = by_a * cos_t - by_b * sin_t, -resting
    by_p[:2] = cos_c * (by_a * sin_t + by_b * cos_t) - sin_c * by_z[:2]
    by_p[_CAMBER], by_p[_TOE] = -sin_c * resting - cos_c * z, cos_c * q
    cos_d, sin_d = _rise(h, z, p)
    e = z * cos_d - h * sin_d
    lift = (by_p - cos_d * by_h - sin_d * by_z) / _floored(e, _LEAST)
    by_e = cos_d * by_z - sin_d * by_h - (sin_d * z + cos_d * h) * lift
    cos_s, sin_s = _rise(g, e, q)
    pitch = (by_q - cos_s * by_g - sin_s * by_e) / _floored(e * cos_s - g * sin_s, _LEAST)
    # Against gravity: parts of straight up along the heading, forward, and upwards square to the spin axis.
    along, ahead = up[0] * sin_w + sign * up[1] * cos_w, up[0] * cos_w - sign * up[1] * sin_w
    square = up[2] * cos_d - along * sin_d
    spin, spin_by = along * cos_d + up[2] * sin_d, lift * square
    spin_by[_TOE] += cos_d * ahead
    front, front_by = ahead * cos_s + square * sin_s, pitch * (square * cos_s - ahead * sin_s) - sin_s * spin * lift
    front_by[_TOE] -= cos_s * along + sin_s * sin_d * ahead
    return _above(spin, spin_by, sign), _above(front, front_by, sign)


def _above(height: Array, moves: Array, sign: Array) -> tuple[Array, Array]:
    """A height (n,) as an angle above the horizontal, its slopes (4, n) against toe shared out to total toe and bearing."""
    height = np.minimum(np.maximum(height, -1.0), 1.0)
    slopes = moves / np.maximum(np.sqrt(1.0 - height * height), _STEEPEST)
    return np.arcsin(height), np.concatenate((slopes[:_TOE], (slopes[_TOE] / 2, slopes[_TOE] * sign)))
