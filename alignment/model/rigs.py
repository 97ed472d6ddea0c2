"""A rig that sees wheels stands anywhere: where the perfect vehicle fits best to what it saw."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

Place = tuple[float, float]
"""Forward and to the left, mm."""


class Sighting(NamedTuple):
    """A wheel's centre as a rig saw it, in the rig's frame, and where it is on the perfect vehicle, in the datum's frame."""

    seen: Place
    perfect: Place


def best_fit(sightings: Sequence[Sighting]) -> tuple[float, float, float]:
    """The rig's place, mm, and its heading, radians, anticlockwise: the least squares of a rigid motion in the plane.

    The heading is the angle of the sum of products of the places about their means (two dimensions of the orthogonal Procrustes
    problem: Schönemann 1966, from memory). Where all centres coincide nothing tells it, and it is 0.
    """
    count = len(sightings)
    seen = [math.fsum(s.seen[part] for s in sightings) / count for part in (0, 1)]
    perfect = [math.fsum(s.perfect[part] for s in sightings) / count for part in (0, 1)]
    cosine = sine = 0.0
    for sighting in sightings:
        x, y = (sighting.seen[part] - seen[part] for part in (0, 1))
        u, v = (sighting.perfect[part] - perfect[part] for part in (0, 1))
        cosine += x * u + y * v
        sine += x * v - y * u
    heading = math.atan2(sine, cosine) if sine or cosine else 0.0
    cos, sin = math.cos(heading), math.sin(heading)
    return perfect[0] - (cos * seen[0] - sin * seen[1]), perfect[1] - (sin * seen[0] + cos * seen[1]), heading
