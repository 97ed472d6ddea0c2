"""General practice: what a vehicle is judged by where nobody has its maker's figures. It never stands for them.

Every number here is common practice without a source, most of them from memory; each says which. They are wide: what is
outside of them is worth a question, what is inside is not thereby right.
"""

from __future__ import annotations

import itertools
import math
from typing import Any

from alignment.model.vehicle import Vehicle

NAME = "general practice"
SOURCE = "common practice, not the maker's figures"
_RIM_MM = 400.0
_TWO_MM = math.degrees(2 * math.asin(2.0 / (2 * _RIM_MM)))
"""Rear total toe of 0 to 2 mm at the rim is generally right on cars: common practice, no source. The rim is a usual one."""
_LIGHT_TOE = 0.3
"""Total toe of steered wheels of cars and vans lies between none and this, degrees: common practice, from memory."""
_HEAVY_TOE = 0.2
"""The same of trucks and buses, degrees: common practice, from memory."""
_THRUST = 0.1
"""Thrust, and a steering wheel's offset at the road wheels, degrees: common practice, from memory."""
_SQUARE = 0.1
"""How square a drive or trailer axle stands, and how parallel two stand, degrees: common practice, from memory. Good work on
drive axles goes by 0.05 (common practice, no source)."""
_CROSS_CAMBER = 0.5
"""Camber left less right, degrees: common practice, from memory."""


def practice(vehicle: Vehicle, group: str) -> list[dict[str, Any]]:
    """Rows of a job file's ``spec`` for a vehicle of that group: ``car``, ``van``, ``truck``, ``bus``, ``trailer``."""
    heavy = group in ("truck", "bus", "trailer")
    rows: list[dict[str, Any]] = []
    still = []
    for axle in vehicle.axles:
        if axle.steers:
            most = _HEAVY_TOE if heavy else _LIGHT_TOE
            rows.append(
                {"quantity": "total_toe_deg", "axle": axle.number, "min": 0.0, "max": most, "preferred": most / 2}
            )
            if not heavy:
                rows.append(
                    {"quantity": "cross_camber_deg", "axle": axle.number, "min": -_CROSS_CAMBER, "max": _CROSS_CAMBER}
                )
            continue
        still.append(axle.number)
        if not heavy:
            rows.append(
                {"quantity": "total_toe_deg", "axle": axle.number, "min": 0.0, "max": _TWO_MM, "preferred": _TWO_MM / 2}
            )
        elif group == "trailer":
            rows.append(_within("bearing_deg", _SQUARE) | {"axle": axle.number})
    rows += [_within("parallelism_deg", _SQUARE) | {"axles": list(pair)} for pair in vehicle.steered_pairs]
    rows += [_within("scrub_deg", _SQUARE) | {"axles": list(pair)} for pair in itertools.pairwise(still)]
    if still and len(still) < len(vehicle.axles):
        rows.append(_within("thrust_angle_deg", _THRUST))
        rows.append(_within("steer_ahead_deg", _THRUST))
    return rows


def _within(quantity: str, most: float) -> dict[str, Any]:
    return {"quantity": quantity, "min": -most, "max": most, "preferred": 0.0}
