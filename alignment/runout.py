"""Judging a clamp: how large its error is, where it points, which knob to turn and by how much.

The clamp's error goes round with the wheel like a clock hand. Readings half a turn apart have opposite errors: half
their sum is the wheel, half their difference the error, so a knob is turned until the gauge shows the wheel's own
angle (common practice, no source).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from alignment.readings.gauges import Runout
from alignment.solve import solve
from alignment.state import DEG
from alignment.vehicle import Datum, Vehicle

LARGE_DEG = 1.0
"""A clamp error beyond this asks for a look at wheel, feet and clamp before any knob; common practice, no source."""


@dataclass(frozen=True)
class KnobAdvice:
    """Turn one knob with the wheel at ``roll_deg`` until the gauge goes from ``from_deg`` to ``to_deg``."""

    knob: str
    roll_deg: float
    from_deg: float
    to_deg: float

    @property
    def change_deg(self) -> float:
        return self.to_deg - self.from_deg


@dataclass(frozen=True)
class ClampError:
    """What a wheel's runout readings say of its clamp.

    ``size_deg`` and ``clock_deg`` (clockwise from the top, seen standing beside the wheel, as at roll 0) are None
    while the readings do not determine both components. ``knobs`` holds advice for what is known.
    """

    size_deg: float | None
    clock_deg: float | None
    accepted: bool
    reason: str
    knobs: tuple[KnobAdvice, ...]
    wheel_camber_deg: float | None


def judge_clamp(vehicle: Vehicle, reading: dict[str, Any], limit_deg: float) -> ClampError:
    """Judge one wheel's runout ``reading`` (as in the job file) against the kit's limit in degrees."""
    runout = Runout(reading)
    solution = solve(vehicle, Datum("frame"), [runout])
    at = f"axles/{runout.axle}/{runout.side}"
    cosine, sine = (solution.unknown(f"{at}/clamp/{name}_deg") for name in ("cosine", "sine"))
    camber = solution.unknown(f"{at}/camber_deg")
    wheel = None if camber is None else camber.value
    knobs = []
    if wheel is not None:
        pairs = (("upper", 0.0, cosine), ("side", 90.0, sine))
        knobs = [KnobAdvice(n, roll, wheel + e.value, wheel) for n, roll, e in pairs if e is not None]
    if cosine is None or sine is None:
        return ClampError(None, None, False, _missing(cosine=cosine is None, sine=sine is None), tuple(knobs), wheel)
    size = math.hypot(cosine.value, sine.value)
    # Rolled forward, a left wheel turns anticlockwise as seen from outside and a right wheel clockwise; the high point
    # comes to the top after the roll atan2(es, ec), so it now stands that far clockwise (left) or anticlockwise.
    high = math.atan2(sine.value, cosine.value) * DEG
    clock = (high if runout.side == "left" else -high) % 360
    accepted, reason = _accept(size, limit_deg)
    return ClampError(size, clock, accepted, reason, tuple(knobs), wheel)


def _missing(*, cosine: bool, sine: bool) -> str:
    if cosine and sine:
        return "Not read yet: read the gauge, roll half a turn, read again."
    which = "the upper knob's half turn (0° and 180°)" if cosine else "the side knob's half turn (90° and 270°)"
    return f"Half read: {which} is still open."


def _accept(size: float, limit: float) -> tuple[bool, str]:
    if size <= limit:
        return True, f"Accepted: what is left, {size:.3f}°, is within the kit's {limit:.2f}°."
    if size > LARGE_DEG:
        return False, (
            f"Not accepted: {size:.2f}° is large. Look for dirt under a foot, a loose clamp or a bent wheel. Move the "
            "clamp a quarter turn on the rim and read again: error that moves with it is the clamp's, error that stays "
            "is the rim's."
        )
    return False, f"Not accepted: {size:.3f}° is over the kit's {limit:.2f}°. Turn the knobs as said and read again."
