"""Judging a clamp: how large its error is, where it points, which knob to turn and by how much.

The clamp's error goes round with the wheel like a clock hand. Readings half a turn apart have opposite errors: half
their sum is the wheel, half their difference the error, so a knob is turned until the gauge shows the wheel's own
angle (common practice, no source).
"""

from __future__ import annotations

import cmath
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from alignment.estimate.solve import Estimate, solve
from alignment.judge.verdict import COVERAGE
from alignment.model.state import DEG
from alignment.model.vehicle import Datum, Vehicle
from alignment.readings.gauges import Runout

LARGE_DEG = 1.0
"""A clamp error beyond this asks for a look at wheel, feet and clamp before any knob; common practice, no source."""
CALCULATED_DEG = 0.5
"""A clamp error up to this is taken out by calculation and needs no knob: a choice. Beyond it a wheel that stops off its mark
puts more in doubt than a gauge can be misread by."""
STOPS_OFF_DEG = 2.0
"""Standard uncertainty of where a wheel stands against its roll mark, 12 mm at a van's tread; common practice, no source."""


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
    while the readings do not determine both components, ``cosine`` and ``sine``. ``knobs`` holds advice for what is known.
    ``calculated`` says of an accepted clamp that its error is over the kit's limit and is taken out by calculation.
    """

    size_deg: float | None
    clock_deg: float | None
    accepted: bool
    reason: str
    knobs: tuple[KnobAdvice, ...]
    wheel_camber_deg: float | None
    cosine: Estimate | None = None
    sine: Estimate | None = None
    calculated: bool = False


def judge_clamp(vehicle: Vehicle, reading: dict[str, Any], limit_deg: float) -> ClampError:
    """Judge one wheel's runout ``reading`` (as in the job file) against the kit's limit in degrees."""
    return _judged(vehicle, json.dumps(reading), limit_deg)


@lru_cache(maxsize=1024)
def _judged(vehicle: Vehicle, reading: str, limit_deg: float) -> ClampError:
    """A page asks for the clamps of each moment before a move, which are the same ones."""
    runout = Runout(json.loads(reading))
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
        return ClampError(
            None, None, False, _missing(cosine=cosine is None, sine=sine is None), tuple(knobs), wheel, cosine, sine
        )
    size = math.hypot(cosine.value, sine.value)
    # Rolled forward, a left wheel turns anticlockwise as seen from outside and a right wheel clockwise; the high point
    # comes to the top after the roll atan2(es, ec), so it now stands that far clockwise (left) or anticlockwise.
    high = math.atan2(sine.value, cosine.value) * DEG
    clock = (high if runout.side == "left" else -high) % 360
    accepted, reason = _accept(size, limit_deg)
    return ClampError(
        size, clock, accepted, reason, tuple(knobs), wheel, cosine, sine, calculated=accepted and size > limit_deg
    )


def in_doubt(reading: Mapping[str, Any], size_deg: float) -> dict[str, Any]:
    """A runout ``reading`` of a clamp error of that size, whose ``u_deg`` covers that a wheel stands off its marks, when it is
    rolled and when it is read.
    """
    runout = Runout(reading)
    return {**reading, "u_deg": math.hypot(runout.u, _off_its_mark(size_deg, runout))}


def _off_its_mark(size_deg: float, runout: Runout) -> float:
    """What each row of a runout must take on, degrees, so that the parts of a clamp's error of this size are in doubt enough.

    A wheel d off its mark reads wrong by size·d/√2 in the mean over the clock. n such rows leave √(2/n) of it in either
    part; the tool is then read with the wheel off its mark once more, which adds the whole of it.
    """
    return size_deg * math.sin(STOPS_OFF_DEG / DEG) * math.sqrt((1 + len(runout.numbers) / 2) / 2)


def _missing(*, cosine: bool, sine: bool) -> str:
    if cosine and sine:
        return "Not read yet: read the gauge, roll half a turn, read again."
    which = "the upper knob's half turn (0° and 180°)" if cosine else "the side knob's half turn (90° and 270°)"
    return f"Half read: {which} is still open, or one more reading at any other roll."


def _accept(size: float, limit: float) -> tuple[bool, str]:
    if size <= limit:
        return True, f"Accepted: what is left, {size:.3f}°, is within the kit's {limit:.2f}°."
    if size <= CALCULATED_DEG:
        return True, (
            f"Accepted: {size:.3f}° is taken out by calculation. It is over the kit's {limit:.2f}°, so the wheel must stand "
            "at its roll mark whenever the tool is read."
        )
    if size > LARGE_DEG:
        return False, (
            f"Not accepted: {size:.2f}° is large. Look for dirt under a foot, a loose clamp or a bent wheel. Move the "
            "clamp a quarter turn on the rim and read again: error that moves with it is the clamp's, error that stays "
            "is the rim's."
        )
    return False, f"Not accepted: {size:.3f}° is over the kit's {limit:.2f}°. Turn the knobs as said and read again."


@dataclass(frozen=True)
class ClampOrRim:
    """What of an error moved with the clamp and what stayed with the rim, degrees, and what to look at.

    ``blame`` is ``clamp``, ``rim``, ``both`` or ``cannot tell``; ``u_deg`` is the standard uncertainty of either part.
    """

    clamp_deg: float
    rim_deg: float
    u_deg: float
    blame: str
    advice: str


_LOOK = {
    "clamp": "The error moved with the clamp: look for dirt under a foot, a bent foot or a loose clamp, and hang it anew.",
    "rim": "The error stayed with the rim: look for a bent rim, or dirt between rim and hub. Compensate for it and tell the owner.",
    "both": "Clamp and rim both err: clean the feet and look at the rim.",
    "cannot tell": "Neither part stands out from what the gauge can be wrong: what is left is small, or read it again.",
}


def clamp_or_rim(first: ClampError, moved: ClampError, moved_deg: float, limit_deg: float) -> ClampOrRim:
    """Tell the clamp's error from the rim's, from runout read twice with the clamp moved on the rim between.

    ``moved_deg`` is by how much the clamp was turned on the rim, in the way the wheel rolls forward; the wheel itself
    starts from the same place both times. **Raises** ValueError where either runout is not determined, or the clamp was
    moved by less than 30 degrees (or as little short of a whole turn), which tells nothing.
    """
    if first.cosine is None or first.sine is None or moved.cosine is None or moved.sine is None:
        raise ValueError("expected both runouts to be read to the end, on the clamp's first place and on its second")
    # As a clock hand in the complex plane: what moves with the clamp is turned by the move, what is the rim's is not.
    turn = cmath.exp(1j * moved_deg / DEG)
    if abs(1 - turn) < abs(1 - cmath.exp(1j * _LEAST_MOVE_DEG / DEG)):
        raise ValueError(f"expected the clamp to be moved by at least {_LEAST_MOVE_DEG:g} degrees, got {moved_deg:g}")
    one, two = (
        complex(error.cosine.value, -error.sine.value) for error in (first, moved) if error.cosine and error.sine
    )
    clamp = (one - two) / (1 - turn)
    rim = one - clamp
    parts = (first.cosine, first.sine, moved.cosine, moved.sine)
    u = math.sqrt(sum(part.u**2 for part in parts) / 2) / abs(1 - turn)
    guilty = [name for name, size in (("clamp", abs(clamp)), ("rim", abs(rim))) if size - COVERAGE * u > limit_deg]
    blame = "both" if len(guilty) > 1 else guilty[0] if guilty else "cannot tell"
    return ClampOrRim(abs(clamp), abs(rim), u, blame, _LOOK[blame])


_LEAST_MOVE_DEG = 30.0
"""A clamp moved by less hardly changes what is read; a choice."""
