"""Readings with a tape: lengths without a usual value."""

from __future__ import annotations

from rectaxis.drawing.kinds.base import MIDDLE, RULER_NEAR, At, Drawn, Shape

_WINDOW = 24.0
_AHEAD = 62.0


def _straightedge(at: At) -> tuple[Shape, ...]:
    x = at.axle_x - _AHEAD
    return (Shape("line", x, MIDDLE - RULER_NEAR, x, MIDDLE + RULER_NEAR, "gauge-bar", "straightedge"),)


DRAWN = {
    "tape_toe": Drawn("Tape from mark to mark across the vehicle, level with the hubs.", tape=_WINDOW),
    "hub_square": Drawn("Tape from the straightedge straight back to the spindle.", tape=_WINDOW, tools=_straightedge),
    "tread": Drawn(
        "Tape across the axle, level, as high at both wheels: over the outer edges of the tyres, then between the inner ones.",
        tape=_WINDOW,
    ),
    "stagger": Drawn(
        "Wheels off the ground or rolled once over the tape: round the middle of the tread.", tape=_WINDOW
    ),
    "frame_side": Drawn("Tape from the side of the frame straight out to the tyre.", tape=_WINDOW),
}
