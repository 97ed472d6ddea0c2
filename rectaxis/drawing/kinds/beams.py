"""Readings of beams along the vehicle: on flags, frame gauges, a bar about the king pin, and mirrors."""

from __future__ import annotations

from rectaxis.drawing.kinds.base import MIDDLE, RULER_NEAR, At, Drawn, Shape

_NAMES = {"frame": "frame gauge", "kingpin": "bar about the king pin"}


def _bar(at: At) -> tuple[Shape, ...]:
    carrier = at.reading.get("on")
    if carrier not in _NAMES:
        return ()
    # How far from its axle, which is where a person puts it.
    name = f"{_NAMES[carrier]}, {abs(float(at.reading['ahead_mm'])) / 1000:.4g} m"
    return (Shape("line", at.ruler_x, MIDDLE - RULER_NEAR, at.ruler_x, MIDDLE + RULER_NEAR, "gauge-bar", name),)


DRAWN = {
    "outboard_pair": Drawn(
        "Read where the beam crosses the scale. Larger is further out from the vehicle.", beam=True, tools=_bar
    ),
    "mirror_pair": Drawn(
        "Read where the beam that the mirror sends back strikes the scale on the head. Larger is further out.",
        beam=True,
    ),
}
