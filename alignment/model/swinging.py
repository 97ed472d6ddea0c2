"""A wheel turned rigidly about its steering axis, as a swing turns it.

It starts at rest, with its own toe and camber, and turns about the axis along ``(-tan k, ∓tan i, 1)`` until the level
heading of its spin axis has changed by a given angle. A rigid turn keeps the angles that the spin axis and the forward
direction make with the axis turned about; that, and the heading, say where both end, without the turn itself:

(1) with the spin axis at heading ``w`` and rising by ``δ``: ``h·cos δ + z·sin δ = p``, where ``h`` and ``z`` are the
    parts of the unit axis along that heading and upwards, and ``p`` its part along the spin axis at rest;
(2) with the forward direction turned up by ``ψ`` from the level about the spin axis: ``g·cos ψ + e·sin ψ = q``, where
    ``g`` and ``e = z·cos δ - h·sin δ`` are the parts of the axis along the level forward direction and upwards square to
    the spin axis, and ``q`` its part along the forward direction at rest.

What hangs on the wheel is carried round with it: a gauge that is fixed to the wheel askew keeps its parts ``α, β, γ`` along
the spin axis, the forward direction, and upwards square to both. Of these three the first two rise by what (1) and (2)
say; the parts of straight up along all three have squares that add up to one, which gives the third.

Slopes follow by differentiating (1) and (2). Seen from outboard both sides are alike: ``a`` and ``b`` are the parts of the
axis forward and outboard. Radians. One wheel at a time in plain floats: for so few that is faster than arrays.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from alignment.model.rigid import Vector

Slopes = tuple[float, ...]
"""Against caster, inclination, camber, toe, and the ground's roll and pitch where these are unknown."""
Rise = tuple[float, Slopes]
"""The part of a unit vector that points straight up, and its slopes."""
_Moves = tuple[tuple[Vector, Vector], tuple[float, float, float, float], tuple[float, float, float]]
"""Slopes of the axis against caster and inclination; of ``p`` against all four; of ``q`` against caster, inclination and toe."""

_LEAST = 1e-9
"""An axis that lifts a direction by less for a radian of turning cannot bring it to a heading; slopes stay finite."""
_STEEPEST = 1e-6
"""Straight up or down an angle has no slope; the floor on the cosine keeps it finite."""


def _floored(size: float) -> float:
    """Away from zero by a little, on its own side."""
    return math.copysign(max(abs(size), _LEAST), size)


def _kept(level: float, upward: float, kept: float) -> tuple[float, float]:
    """Cosine and sine of the smaller angle ``r`` for which ``level·cos r + upward·sin r = kept``; the nearest where none is."""
    square = level * level + upward * upward
    over = square - kept * kept
    if over > _LEAST * _LEAST:
        rest = math.sqrt(over)
        return (level * kept + upward * rest) / square, (upward * kept - level * rest) / square
    size = math.copysign(math.hypot(level, upward), kept)
    return (level / size, upward / size) if size else (1.0, 0.0)


class _Turned(NamedTuple):
    """A wheel turned to a heading: sine and cosine of the heading, the axis along it (``h``) and along the level forward direction
    (``g``), and cosine and sine of ``δ`` and ``ψ``.
    """

    sin_w: float
    cos_w: float
    h: float
    g: float
    cos_d: float
    sin_d: float
    cos_s: float
    sin_s: float

    def parts(self, of: Vector, sign: float) -> tuple[float, float, float, float, float]:
        """Parts of a vector along the heading, forward, upwards square to the spin axis; along the spin axis and ahead."""
        sin_w, cos_w, _, _, cos_d, sin_d, cos_s, sin_s = self
        along, ahead = of[0] * sin_w + sign * of[1] * cos_w, of[0] * cos_w - sign * of[1] * sin_w
        square = of[2] * cos_d - along * sin_d
        return along, ahead, square, along * cos_d + of[2] * sin_d, ahead * cos_s + square * sin_s


class AtRest:
    """A wheel at rest and the axis it turns about: what both ends of a swing share.

    ``caster``, ``sai``, ``camber`` and ``toe`` in radians; moves (``by_...``) are in that order.
    """

    __slots__ = ("_angles", "_axis", "_moves", "_p", "_q", "_resting", "_tangents", "_toe")

    def __init__(self, caster: float, sai: float, camber: float, toe: float) -> None:
        tan_k, tan_i = math.tan(caster), math.tan(sai)
        z = 1.0 / math.sqrt(1.0 + tan_k * tan_k + tan_i * tan_i)
        a, b = -tan_k * z, -tan_i * z
        sin_t, cos_t, sin_c, cos_c = math.sin(toe), math.cos(toe), math.sin(camber), math.cos(camber)
        self._resting, self._q = a * sin_t + b * cos_t, a * cos_t - b * sin_t
        self._p = cos_c * self._resting - sin_c * z
        self._axis, self._toe = (a, b, z), toe
        self._tangents, self._angles = (tan_k, tan_i), (sin_t, cos_t, sin_c, cos_c)
        self._moves: _Moves | None = None

    def turned_alone(self, outward: float, sign: float, up: Vector) -> tuple[float, float]:
        """How far up both directions point, as ``turned`` says it with slopes."""
        spin, front = self._turned(outward).parts(up, sign)[3:]
        return spin, front

    def turned(self, outward: float, sign: float, up: Vector, up_moves: Sequence[Vector]) -> tuple[Rise, Rise]:
        """How far up the outboard spin axis and the forward direction point after the heading turned toe-out by ``outward``.

        ``sign`` is +1 for a left wheel, -1 for a right one; ``up`` is straight up seen from the vehicle, x forward, y
        left, z up, and ``up_moves`` its slopes against roll and pitch, none where these are exact.
        """
        at, z = self._turned(outward), self._axis[2]
        sin_w, cos_w, h, g, cos_d, sin_d, cos_s, sin_s = at
        e, falls = z * cos_d - h * sin_d, sin_d * z + cos_d * h
        lifts, pitches = 1.0 / _floored(e), 1.0 / _floored(e * cos_s - g * sin_s)
        along, ahead, square, spin, front = at.parts(up, sign)
        leans = square * cos_s - ahead * sin_s
        spin_by, front_by = [], []
        axis, by_p, by_q = self._slopes()
        moves = [
            (da * sin_w + db * cos_w, da * cos_w - db * sin_w, dz, dp, dq)
            for (da, db, dz), dp, dq in zip(axis, by_p, by_q, strict=False)
        ]
        for dh, dg, dz, dp, dq in (*moves, (0.0, 0.0, 0.0, by_p[2], 0.0), (g, -h, 0.0, by_p[3], by_q[2])):
            lift = (dp - cos_d * dh - sin_d * dz) * lifts
            pitch = (dq - cos_s * dg - sin_s * (cos_d * dz - sin_d * dh - falls * lift)) * pitches
            spin_by.append(lift * square)
            front_by.append(pitch * leans - sin_s * spin * lift)
        # The heading turns with toe, and with it what lies along it and forward.
        spin_by[3] += cos_d * ahead
        front_by[3] -= cos_s * along + sin_s * sin_d * ahead
        tilted = [at.parts(by, sign) for by in up_moves]
        spin_by += [by[3] for by in tilted]
        front_by += [by[4] for by in tilted]
        return (spin, tuple(spin_by)), (front, tuple(front_by))

    def _turned(self, outward: float) -> _Turned:
        """The wheel with its heading turned toe-out by ``outward``."""
        a, b, z = self._axis
        sin_w, cos_w = math.sin(self._toe - outward), math.cos(self._toe - outward)
        h, g = a * sin_w + b * cos_w, a * cos_w - b * sin_w
        cos_d, sin_d = _kept(h, z, self._p)
        return _Turned(sin_w, cos_w, h, g, cos_d, sin_d, *_kept(g, z * cos_d - h * sin_d, self._q))

    def _slopes(self) -> _Moves:
        """How the axis, ``p`` and ``q`` move: both ends of a swing ask."""
        if self._moves is None:
            (a, b, z), (tan_k, tan_i), (sin_t, cos_t, sin_c, cos_c) = self._axis, self._tangents, self._angles
            # Of what moves the raw axis, -(1 + tan²) forward or outboard, the part along the axis only stretches it.
            k, i = (1.0 + tan_k * tan_k) * z, (1.0 + tan_i * tan_i) * z
            by_k, by_i = ((a * a - 1.0) * k, a * b * k, a * z * k), (a * b * i, (b * b - 1.0) * i, b * z * i)
            by_p = (
                cos_c * (by_k[0] * sin_t + by_k[1] * cos_t) - sin_c * by_k[2],
                cos_c * (by_i[0] * sin_t + by_i[1] * cos_t) - sin_c * by_i[2],
                -sin_c * self._resting - cos_c * z,
                cos_c * self._q,
            )
            by_q = by_k[0] * cos_t - by_k[1] * sin_t, by_i[0] * cos_t - by_i[1] * sin_t, -self._resting
            self._moves = (by_k, by_i), by_p, by_q
        return self._moves


def angle_of(height: float) -> float:
    """The angle above the horizontal, radians, of a unit vector that points up by so much."""
    return math.asin(max(-1.0, min(1.0, height)))


def angle_above(rise: Rise) -> Rise:
    """The angle above the horizontal with its slopes, given a height and its slopes."""
    level = max(math.sqrt(max(1.0 - rise[0] * rise[0], 0.0)), _STEEPEST)
    return angle_of(rise[0]), tuple([by / level for by in rise[1]])


class Askew:
    """A gauge fixed askew on a wheel: its own axis and the level direction square to that, as parts of the wheel's.

    ``camber``, ``toe`` are the wheel's at rest, ``gauge_camber``, ``gauge_toe`` those of the gauge's axis, radians.
    """

    __slots__ = ("_ahead", "_axis")

    def __init__(self, camber: float, toe: float, gauge_camber: float, gauge_toe: float) -> None:
        sin_c, cos_c, sin_g, cos_g = math.sin(camber), math.cos(camber), math.sin(gauge_camber), math.cos(gauge_camber)
        sin_e, cos_e = math.sin(gauge_toe - toe), math.cos(gauge_toe - toe)
        # Parts along spin axis, forward, upwards; then their slopes against camber, gauge_camber, and gauge_toe less toe.
        self._axis = (
            (cos_g * cos_c * cos_e + sin_g * sin_c, cos_g * sin_e, cos_g * sin_c * cos_e - sin_g * cos_c),
            (-cos_g * sin_c * cos_e + sin_g * cos_c, 0.0, cos_g * cos_c * cos_e + sin_g * sin_c),
            (-sin_g * cos_c * cos_e + cos_g * sin_c, -sin_g * sin_e, -sin_g * sin_c * cos_e - cos_g * cos_c),
            (-cos_g * cos_c * sin_e, cos_g * cos_e, -cos_g * sin_c * sin_e),
        )
        self._ahead = (
            (-cos_c * sin_e, cos_e, -sin_c * sin_e),
            (sin_c * sin_e, 0.0, -cos_c * sin_e),
            (0.0, 0.0, 0.0),
            (-cos_c * cos_e, -sin_e, -sin_c * cos_e),
        )

    def carried_alone(self, spin: float, front: float) -> tuple[float, float]:
        """How far up the gauge's axis and its forward direction point, as ``carried`` says it with slopes."""
        above = math.sqrt(max(1.0 - spin**2 - front**2, _STEEPEST**2))
        (a, b, c), (d, e, f) = self._axis[0], self._ahead[0]
        return a * spin + b * front + c * above, d * spin + e * front + f * above

    def carried(self, spin: Rise, front: Rise, *, ahead: bool) -> tuple[Rise, ...]:
        """How far up the gauge's axis points, and with ``ahead`` its forward direction, on a wheel whose own point up by
        ``spin`` and ``front``.

        Slopes as theirs, then against gauge_camber and gauge_toe.
        """
        above = math.sqrt(max(1.0 - spin[0] ** 2 - front[0] ** 2, _STEEPEST**2))
        by_spin, by_front = spin[0] / above, front[0] / above
        above_by = [-by_spin * s - by_front * f for s, f in zip(spin[1], front[1], strict=True)]
        directions = (self._axis, self._ahead) if ahead else (self._axis,)
        return tuple([self._of(one, spin, front, (above, above_by)) for one in directions])

    @staticmethod
    def _of(
        shares: tuple[Vector, Vector, Vector, Vector], spin: Rise, front: Rise, above: tuple[float, list[float]]
    ) -> Rise:
        (a, b, c), *by_own = shares
        by = [a * s + b * f + c * u for s, f, u in zip(spin[1], front[1], above[1], strict=True)]
        camber, gauge_camber, turned = [x * spin[0] + y * front[0] + z * above[0] for x, y, z in by_own]
        by[2] += camber
        by[3] -= turned
        return a * spin[0] + b * front[0] + c * above[0], (*by, gauge_camber, turned)
