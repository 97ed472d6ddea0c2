"""What a gauge that hangs from gravity reads on a vehicle that stands on tilted ground.

Axes: x forward, y left, z up. A wheel's outboard spin axis is ``(cos c · sin t, ±cos c · cos t, -sin c)`` (upper
sign left) for toe ``t`` and camber ``c``; the ground turns it by roll about x, then by pitch about y. Camber
against gravity is the angle by which the turned axis dips below the horizontal.
"""

from __future__ import annotations

import math

from alignment.state import DEG, Prediction, State
from alignment.vehicle import side_sign


def gravity_camber(state: State, axle: int, side: str) -> Prediction:
    """Camber of a wheel against gravity, degrees, with its slopes against camber, toe and bearing."""
    layout, ground = state.layout, state.ground
    at_camber = layout.camber(axle, side)
    if ground.roll == 0.0 and ground.pitch == 0.0:
        return state.predict().linear(DEG, at_camber)
    sign = side_sign(side)
    c, t = state.x[at_camber], state.toe(axle, side)
    sin_roll, cos_roll = math.sin(ground.roll), math.cos(ground.roll)
    sin_pitch, cos_pitch = math.sin(ground.pitch), math.cos(ground.pitch)
    sideways = -sin_pitch * math.sin(t) + cos_pitch * sin_roll * sign * math.cos(t)
    up = math.cos(c) * sideways - cos_pitch * cos_roll * math.sin(c)
    up = max(-1.0, min(1.0, up))
    level = math.sqrt(max(1.0 - up * up, 1e-12))  # straight down has no slope; the floor keeps it finite
    by_camber = (math.sin(c) * sideways + cos_pitch * cos_roll * math.cos(c)) / level
    by_toe = math.cos(c) * (sin_pitch * math.cos(t) + cos_pitch * sin_roll * sign * math.sin(t)) / level
    slopes = (
        (at_camber, DEG * by_camber),
        (layout.total_toe(axle), DEG * by_toe / 2),
        (layout.bearing(axle), DEG * by_toe * sign),
    )
    return state.predict().add(-DEG * math.asin(up), slopes)
