"""Hidden truths: how a made-up vehicle really stands, drawn at random about what is usual. Invented, for demonstration
and for tests of the method; no figure here is anybody's.
"""

from __future__ import annotations

import math
import random
from collections.abc import Mapping

from alignment.model.state import DEG
from alignment.model.vehicle import SIDES, Axle, Datum, Vehicle
from alignment.readings.steering import ASSUMED_SAI_DEG, ASSUMED_SAI_U_DEG
from alignment.readings.unread import RigidTie

_BEARING_DEG, _TOE_DEG, _OFFSET_MM, _SETBACK_MM = 0.15, 0.25, 4.0, 4.0
_CAMBER_DEG, _CASTER_DEG, _CLAMP_DEG = 0.6, (4.0, 1.5), 0.25
_FRAME_DEG, _FRAME_MM = 0.1, 4.0
_TOE_OUT_DEG = (1.8, 0.3)
"""Standard deviations, or a mean with one, of what a truth is drawn from."""


_LOCK_DEG = {"out": (38.0, 0.8), "in": (33.0, 0.8)}
"""The same of how far a wheel turns to its stops, to its own side and to the other."""


def random_truth(vehicle: Vehicle, datum: Datum, rng: random.Random, *, exact_ties: bool = False) -> dict[str, float]:
    """A truth by names of unknowns, degrees and millimetres, for every unknown that any kit might ask for.

    Rigid axles are square to their wheels within the tie's own uncertainty, or exactly with ``exact_ties``.
    """
    truth: dict[str, float] = {}
    if datum.kind == "axles":
        truth |= {"frame/bearing_deg": rng.gauss(0, _FRAME_DEG), "frame/offset_mm": rng.gauss(0, _FRAME_MM)}
    for axle in vehicle.axles:
        tie = 0.0 if exact_ties else RigidTie.U_DEG
        truth |= _axle(axle, rng, tie, on_datum=datum.passes_through(axle.number))
    return truth


_RIG = (1500.0, 100.0, 1.0)
_TRACK_MM, _POSITION_MM = 5.0, 8.0
"""How far ahead of axle 1 a rig stands, mm, and what its place (mm) and heading (degrees) are drawn from; and by how much
tracks and positions differ from what was entered."""


def rig_truth(vehicle: Vehicle, rig: str, truth: Mapping[str, float], rng: random.Random) -> dict[str, float]:
    """Where a rig stands, and the vehicle's own measures, which it tells; rigid axles of ``truth`` stay as square as they were."""
    ahead, beside, turned = _RIG
    at = f"rigs/{rig}"
    found = {
        f"{at}/x_mm": ahead + rng.gauss(0, beside),
        f"{at}/y_mm": rng.gauss(0, beside),
        f"{at}/heading_deg": rng.gauss(0, turned),
    }
    for axle in vehicle.axles:
        at = f"axles/{axle.number}"
        found[f"{at}/track_mm"] = axle.track_mm + rng.gauss(0, _TRACK_MM)
        if axle.rigid:
            found[f"{at}/setback_mm"] = truth[f"{at}/setback_mm"] * found[f"{at}/track_mm"] / axle.track_mm
        if axle.number > 1:
            found[f"{at}/position_mm"] = axle.position_mm + rng.gauss(0, _POSITION_MM)
    return found


def _axle(axle: Axle, rng: random.Random, tie_u: float, *, on_datum: bool) -> dict[str, float]:
    at = f"axles/{axle.number}"
    bearing = rng.gauss(0, _BEARING_DEG)
    tie = bearing + rng.gauss(0, tie_u)
    found = {
        f"{at}/bearing_deg": bearing,
        f"{at}/total_toe_deg": rng.gauss(0, _TOE_DEG),
        f"{at}/setback_mm": axle.track_mm * math.tan(tie / DEG) if axle.rigid else rng.gauss(0, _SETBACK_MM),
        f"{at}/tread_mm": axle.track_mm,
    }
    if not on_datum:
        found[f"{at}/offset_mm"] = rng.gauss(0, _OFFSET_MM)
    stops = random.Random(repr(bearing))  # noqa: S311 - made-up data
    for side in SIDES:
        wheel = f"{at}/{side}"
        found[f"{wheel}/camber_deg"] = rng.gauss(0, _CAMBER_DEG)
        found |= {f"{wheel}/clamp/{part}_deg": rng.gauss(0, _CLAMP_DEG) for part in ("cosine", "sine")}
        if axle.steers:
            found[f"{wheel}/caster_deg"] = rng.gauss(*_CASTER_DEG)
            # What the method assumes where it cannot see is what these vehicles are drawn from.
            found[f"{wheel}/sai_deg"] = rng.gauss(ASSUMED_SAI_DEG, ASSUMED_SAI_U_DEG)
            found[f"{at}/toe_out_{side}_turn_deg"] = rng.gauss(*_TOE_OUT_DEG)
            found |= {f"{wheel}/lock_{way}_deg": stops.gauss(*_LOCK_DEG[way]) for way in _LOCK_DEG}
    return found
