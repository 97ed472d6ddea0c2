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

from alignment.model.rigid import Vector

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


class AtRest:
    """A wheel at rest and the axis it turns about: what both ends of a swing share.

    ``caster``, ``sai``, ``camber`` and ``toe`` in radians; moves (``by_...``) are in that order.
    """

    __slots__ = ("_axis", "_axis_moves", "_by_p", "_by_q", "_p", "_q", "_toe")

    def __init__(self, caster: float, sai: float, camber: float, toe: float) -> None:
        tan_k, tan_i = math.tan(caster), math.tan(sai)
        z = 1.0 / math.sqrt(1.0 + tan_k * tan_k + tan_i * tan_i)
        a, b = -tan_k * z, -tan_i * z
        # Of what moves the raw axis, -(1 + tan²) forward or outboard, the part along the axis only stretches it.
        k, i = (1.0 + tan_k * tan_k) * z, (1.0 + tan_i * tan_i) * z
        by_k, by_i = ((a * a - 1.0) * k, a * b * k, a * z * k), (a * b * i, (b * b - 1.0) * i, b * z * i)
        sin_t, cos_t, sin_c, cos_c = math.sin(toe), math.cos(toe), math.sin(camber), math.cos(camber)
        resting, self._q = a * sin_t + b * cos_t, a * cos_t - b * sin_t
        self._p = cos_c * resting - sin_c * z
        self._by_p = (
            cos_c * (by_k[0] * sin_t + by_k[1] * cos_t) - sin_c * by_k[2],
            cos_c * (by_i[0] * sin_t + by_i[1] * cos_t) - sin_c * by_i[2],
            -sin_c * resting - cos_c * z,
            cos_c * self._q,
        )
        self._by_q = by_k[0] * cos_t - by_k[1] * sin_t, by_i[0] * cos_t - by_i[1] * sin_t, -resting
        self._axis, self._axis_moves, self._toe = (a, b, z), (by_k, by_i), toe

    def turned(self, outward: float, sign: float, up: Vector) -> tuple[Rise, Rise]:
        """By how much the outboard spin axis and the forward direction rise after the heading turned toe-out by ``outward``.

        ``sign`` is +1 for a left wheel, -1 for a right one; ``up`` is straight up seen from the vehicle, x forward, y
        left, z up.
        """
        (a, b, z), q = self._axis, self._q
        sin_w, cos_w = math.sin(self._toe - outward), math.cos(self._toe - outward)
        h, g = a * sin_w + b * cos_w, a * cos_w - b * sin_w
        cos_d, sin_d = _kept(h, z, self._p)
        e, falls = z * cos_d - h * sin_d, sin_d * z + cos_d * h
        cos_s, sin_s = _kept(g, e, q)
        lifts, pitches = 1.0 / _floored(e), 1.0 / _floored(e * cos_s - g * sin_s)
        # Against gravity: parts of straight up along the heading, forward, and upwards square to the spin axis.
        along, ahead = up[0] * sin_w + sign * up[1] * cos_w, up[0] * cos_w - sign * up[1] * sin_w
        square = up[2] * cos_d - along * sin_d
        spin, front, leans = (
            along * cos_d + up[2] * sin_d,
            ahead * cos_s + square * sin_s,
            square * cos_s - ahead * sin_s,
        )
        spin_by, front_by = [], []
        by_p, by_q = self._by_p, self._by_q
        moves = [
            (da * sin_w + db * cos_w, da * cos_w - db * sin_w, dz, dp, dq)
            for (da, db, dz), dp, dq in zip(self._axis_moves, by_p, by_q, strict=False)
        ]
        for dh, dg, dz, dp, dq in (*moves, (0.0, 0.0, 0.0, by_p[2], 0.0), (g, -h, 0.0, by_p[3], by_q[2])):
            lift = (dp - cos_d * dh - sin_d * dz) * lifts
            pitch = (dq - cos_s * dg - sin_s * (cos_d * dz - sin_d * dh - falls * lift)) * pitches
            spin_by.append(lift * square)
            front_by.append(pitch * leans - sin_s * spin * lift)
        # The heading turns with toe, and with it what lies along it and forward.
        spin_by[3] += cos_d * ahead
        front_by[3] -= cos_s * along + sin_s * sin_d * ahead
        return _above(spin, spin_by), _above(front, front_by)


def _above(height: float, moves: list[float]) -> Rise:
    height = max(-1.0, min(1.0, height))
    level = max(math.sqrt(1.0 - height * height), _STEEPEST)
    return math.asin(height), (moves[0] / level, moves[1] / level, moves[2] / level, moves[3] / level)
