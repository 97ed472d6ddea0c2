"""How the ground tilts, from a level bar laid on it or from what a camera sees of it.

Roll is positive with the right side lower, pitch with the front lower, both in degrees, as the job file gives them.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from alignment.model.state import DEG

EYE_U_DEG = 0.25
"""Standard uncertainty of ground that looks level: 4 mm in a metre; common practice, no source."""
BAR_U_DEG = 0.04
"""What a level bar with a digital gauge repeats within when it is laid down again; a choice."""
BAR_ERROR_DEG = 0.1
"""How far the two feet of a bar may differ that was not turned end for end; a choice."""
MUCH_FOR_A_BAR_DEG = 0.5
"""A level bar that is off by more was more likely read with a wrong sign; common practice, no source."""
_LEAST_POINTS = 3
_LEAST_SPREAD = 1e-6
"""Points whose spread across is below this share of their spread along lie on one line and show no plane."""


def fall_and_error(laid_deg: float, turned_deg: float | None) -> tuple[float, float]:
    """The fall of the ground along a bar and the bar's own error, degrees, from its reading as laid and turned end for end.

    The bar's error changes sign and goes out: half the difference. Without the second reading it is taken for 0.
    """
    return (laid_deg, 0.0) if turned_deg is None else ((laid_deg - turned_deg) / 2, (laid_deg + turned_deg) / 2)


def ground_from_bar(
    across_deg: float, along_deg: float, across_turned_deg: float | None = None, along_turned_deg: float | None = None
) -> dict[str, float]:
    """The tilt from a level bar read across (right end lower positive) and along (front end lower positive), with ``u_deg``.

    Each is read again with the bar turned end for end, or only as laid.
    """
    roll, _ = fall_and_error(across_deg, across_turned_deg)
    pitch, _ = fall_and_error(along_deg, along_turned_deg)
    turned = across_turned_deg is not None and along_turned_deg is not None
    u = BAR_U_DEG / math.sqrt(2) if turned else math.hypot(BAR_U_DEG, BAR_ERROR_DEG)
    return {"roll_deg": roll, "pitch_deg": pitch, "u_deg": u}


def ground_by_eye() -> dict[str, float]:
    """The tilt of ground that looks level."""
    return {"roll_deg": 0.0, "pitch_deg": 0.0, "u_deg": EYE_U_DEG}


def ground_from_points(points_mm: Sequence[Sequence[float]]) -> dict[str, float]:
    """The tilt of the plane through points (n, 3) on the ground, n at least 3: x forward, y left, z against gravity.

    The plane of least squares across itself. Roll and pitch are those of a vehicle turned by roll, then by pitch, that
    stands on it. **Raises** ValueError for fewer than three points, or for points along one line.
    """
    points = np.asarray(points_mm, dtype=float)
    if points.ndim != 2 or points.shape[1] != 3 or len(points) < _LEAST_POINTS:  # noqa: PLR2004 - rows of x, y, z
        raise ValueError(f"expected at least {_LEAST_POINTS} points of x, y, z, got an array of shape {points.shape}")
    _, spread, axes = np.linalg.svd(points - points.mean(axis=0), full_matrices=False)
    if spread[1] <= _LEAST_SPREAD * spread[0]:
        raise ValueError("expected points that do not lie on one line; take one further to the side")
    normal = axes[2] * (1.0 if axes[2][2] > 0 else -1.0)
    # The vehicle's upward axis after roll about x, then pitch about y: (cos r · sin p, -sin r, cos r · cos p).
    roll = math.asin(max(-1.0, min(1.0, -float(normal[1]))))
    pitch = math.atan2(float(normal[0]), float(normal[2]))
    return {"roll_deg": roll * DEG, "pitch_deg": pitch * DEG}
