"""What the drawing needs to know of a kind of reading."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

MIDDLE = 256.0
"""Screen y of the centre line: the right side lies above it, the left below."""
WHEEL_OUT, HEAD_OUT = 68.0, 95.0
"""How far from the centre line wheels and what hangs on them are drawn."""
RULER_NEAR, RULER_FAR = 107.0, 183.0


class Shape(NamedTuple):
    """A piece of a tool: ``what`` is ``line`` or ``ring``, with its ends (a ring: centre and radius), look and name."""

    what: str
    x1: float
    y1: float
    x2: float
    y2: float
    look: str
    name: str = ""


class At(NamedTuple):
    """Where things are on the sheet when a station's tools are drawn: the axle, the column of its ruler, mm to pixels."""

    axle_x: float
    ruler_x: float
    reading: Mapping[str, Any]


def _nothing(_at: At) -> tuple[Shape, ...]:
    return ()


@dataclass(frozen=True)
class Drawn:
    """A kind's hint to the reader, and its look. ``beam`` where a beam runs from a head to the scale; ``tape`` for lengths
    without a usual value, of which only a window of that many mm is drawn; ``tools`` are further pieces to draw once.
    """

    hint: str
    beam: bool = False
    tape: float = 0.0
    tools: Callable[[At], tuple[Shape, ...]] = _nothing


def up(side: str) -> int:
    """-1 for the right side, which is drawn at the top, +1 for the left."""
    return -1 if side == "right" else 1
