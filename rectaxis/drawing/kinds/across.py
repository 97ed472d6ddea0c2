"""Readings across an axle: toe and setback."""

from __future__ import annotations

from rectaxis.drawing.kinds.base import HEAD_OUT, MIDDLE, At, Drawn, Shape

_AHEAD = 58.0


def _cross_beam(at: At) -> tuple[Shape, ...]:
    x = at.axle_x - _AHEAD
    return (Shape("line", x, MIDDLE - HEAD_OUT, x, MIDDLE + HEAD_OUT, "crossing"),)


def _toe_gauge(at: At) -> tuple[Shape, ...]:
    moved = f"moved {float(at.reading['baseline_mm']) / 1000:.4g} m"
    places = ((at.axle_x - _AHEAD, "floor-gauge", "toe gauge"), (at.axle_x + _AHEAD, "floor-gauge second", moved))
    reach = HEAD_OUT + 6
    return tuple(Shape("line", x, MIDDLE - reach, x, MIDDLE + reach, look, name) for x, look, name in places)


def _plates(at: At) -> tuple[Shape, ...]:
    return tuple(Shape("ring", at.axle_x, MIDDLE + sign * 68, 34, 0, "turntable") for sign in (-1, 1))


DRAWN = {
    "toe_scales": Drawn("Read the printed toe scale under the cross beam.", tools=_cross_beam),
    "setback_scales": Drawn(
        "Read the setback scale. The lower number belongs to the wheel that is set back.", tools=_cross_beam
    ),
    "cross_dial": Drawn(
        "Turn the dial until the returned beam meets its own hole, and read the dial.", tools=_cross_beam
    ),
    "toe_gauge": Drawn(
        "Zero the gauge at its first place, move it along, and read by how much the beams stand further apart.",
        tools=_toe_gauge,
    ),
    "drive_over": Drawn("Drive over the plate once with each wheel and read the dial.", tools=_plates),
}
