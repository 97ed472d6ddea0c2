"""The clock hand of a clamp's error, as plain data for a template."""

from __future__ import annotations

import math
from dataclasses import dataclass

from alignment.runout import ClampError

SIZE = 120
_CENTRE, _RIM = 60.0, 46.0
_FULL_DEG = 0.5


@dataclass(frozen=True)
class Clock:
    """A hand from the centre of a wheel seen from outside; ``limit`` is the radius of the accepted error."""

    limit: float
    hand: tuple[float, float] | None
    clipped: bool
    centre: float = _CENTRE
    rim: float = _RIM
    size: int = SIZE


def clock(clamp: ClampError | None, limit_deg: float) -> Clock:
    """The drawing of a clamp; without a hand while the error is not known."""
    limit = _RIM * limit_deg / _FULL_DEG
    if clamp is None or clamp.size_deg is None or clamp.clock_deg is None:
        return Clock(limit, None, clipped=False)
    length = _RIM * min(1.0, clamp.size_deg / _FULL_DEG)
    angle = math.radians(clamp.clock_deg)
    tip = (_CENTRE + length * math.sin(angle), _CENTRE - length * math.cos(angle))
    return Clock(limit, tip, clipped=clamp.size_deg > _FULL_DEG)
