"""A small map of our own: places as dots where they lie, north up, without tiles of anybody."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from rectaxis.rounds.models import Place

WIDTH, HEIGHT, EDGE = 560, 420, 46
_LEAST_DEG = 0.05
_LINE, _NAME = 15, 130


@dataclass(frozen=True)
class Dot:
    """A place on the map."""

    place: Place
    x: float
    y: float

    says: bool = True
    """Whether its name stands beside it: not where that of another would be under it."""

    @property
    def text_y(self) -> float:
        return round(self.y + 4.5, 1)

    @property
    def left(self) -> bool:
        """Whether its name stands on its left, since there is no room on its right."""
        return self.x > WIDTH * 0.62


def map_of(places: Sequence[Place]) -> dict[str, object]:
    """Dots, and what turns a point of the map into degrees: west and north edge, and degrees for each unit."""
    norths, easts = [one.north for one in places] or [57.0], [one.east for one in places] or [-6.0]
    north, south, west, east = max(norths), min(norths), min(easts), max(easts)
    shrink = max(0.05, math.cos(math.radians((north + south) / 2)))
    """A degree east is shorter than one north."""
    degrees = max(
        (north - south) / (HEIGHT - 2 * EDGE), (east - west) * shrink / (WIDTH - 2 * EDGE), _LEAST_DEG / HEIGHT
    )
    top, left = (north + south) / 2 + degrees * HEIGHT / 2, (east + west) / 2 - degrees / shrink * WIDTH / 2
    dots = [
        Dot(one, round((one.east - left) * shrink / degrees, 1), round((top - one.north) / degrees, 1))
        for one in places
    ]
    return {
        "dots": _without_overlap(dots),
        "top": top,
        "left": left,
        "north_each": degrees,
        "east_each": degrees / shrink,
        "width": WIDTH,
        "height": HEIGHT,
    }


def _without_overlap(dots: Sequence[Dot]) -> list[Dot]:
    """Names that would stand on one another are left out: they are in the list beside the map."""
    shown: list[Dot] = []
    for dot in dots:
        near = any(abs(other.y - dot.y) < _LINE and abs(other.x - dot.x) < _NAME for other in shown if other.says)
        shown.append(replace(dot, says=not near))
    return shown
