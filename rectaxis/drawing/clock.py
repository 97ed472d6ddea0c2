"""The clock hand of a clamp's error, as plain data for a template."""

from __future__ import annotations

import math
from dataclasses import dataclass

from alignment.judge.runout import ClampError

SIZE = 120
_CENTRE, _RIM = 60.0, 46.0
_FULL_DEG = (0.1, 0.25, 0.5, 1.0, 2.0, 5.0)
"""What the rim may stand for: the first that the error fits in."""


@dataclass(frozen=True)
class Clock:
    """A hand from the centre of a wheel seen from outside.

    ``limit`` is the radius of the accepted error, ``full_deg`` the error that reaches the rim.
    """

    limit: float
    hand: tuple[float, float] | None
    full_deg: float
    said: str = "Clamp error not known yet"
    centre: float = _CENTRE
    rim: float = _RIM
    size: int = SIZE


def clock(clamp: ClampError | None, limit_deg: float) -> Clock:
    """The drawing of a clamp; without a hand while the error is not known."""
    if clamp is None or clamp.size_deg is None or clamp.clock_deg is None:
        return Clock(_RIM * limit_deg / _FULL_DEG[0], None, _FULL_DEG[0])
    full = next((f for f in _FULL_DEG if f >= clamp.size_deg), clamp.size_deg)
    length = _RIM * clamp.size_deg / full
    angle = math.radians(clamp.clock_deg)
    tip = (_CENTRE + length * math.sin(angle), _CENTRE - length * math.cos(angle))
    said = (
        f"Clamp error {clamp.size_deg:.2f} degrees, high side at {clamp.clock_deg:.0f} degrees clockwise from the top"
    )
    return Clock(_RIM * limit_deg / full, tip, full, said)
