"""The demo's made-up vehicles and figures. Nothing here is anybody's."""

from __future__ import annotations

from typing import Any

from alignment.patterns import pattern
from rectaxis.fleets.forms import layout_of_pattern

MAKE, MODEL = "Brannoch", "Pelter 27"

VAN = {
    "vehicle": {
        "axles": [
            {"role": "steer", "position_mm": 0, "track_mm": 1540},
            {"role": "drive", "position_mm": 2700, "track_mm": 1530, "rigid": False},
        ],
        "thrust_axle": 2,
    },
    "steering_ratio": 15.8,
    "rods": [
        {"axle": 1, "side": "left", "pitch_mm": 1.25, "arm_mm": 145.0, "ahead": False},
        {"axle": 1, "side": "right", "pitch_mm": 1.25, "arm_mm": 145.0, "ahead": False},
        {"axle": 2, "side": "left", "pitch_mm": 1.25, "arm_mm": 190.0, "ahead": True, "outer_thread": "left"},
        {"axle": 2, "side": "right", "pitch_mm": 1.25, "arm_mm": 190.0, "ahead": True, "outer_thread": "left"},
    ],
}

FIGURES = [
    {"quantity": "total_toe_deg", "axle": 1, "min": 0.0, "max": 0.3, "preferred": 0.14},
    {"quantity": "camber_deg", "axle": 1, "side": "left", "min": -1.0, "max": 0.3, "preferred": -0.3},
    {"quantity": "camber_deg", "axle": 1, "side": "right", "min": -1.0, "max": 0.3, "preferred": -0.3},
    {"quantity": "steer_ahead_deg", "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "total_toe_deg", "axle": 2, "min": 0.0, "max": 0.36, "preferred": 0.18},
    {"quantity": "thrust_angle_deg", "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "camber_deg", "axle": 2, "side": "left", "min": -1.6, "max": -0.4, "preferred": -1.0},
    {"quantity": "camber_deg", "axle": 2, "side": "right", "min": -1.6, "max": -0.4, "preferred": -1.0},
]

TRUTH = {
    "axles/1/bearing_deg": 0.33, "axles/1/total_toe_deg": 0.5, "axles/1/setback_mm": 3.0,
    "axles/1/left/camber_deg": -0.42, "axles/1/right/camber_deg": -0.35,
    "axles/2/bearing_deg": 0.14, "axles/2/total_toe_deg": 0.34, "axles/2/setback_mm": 1.0,
    "axles/2/left/camber_deg": -1.1, "axles/2/right/camber_deg": -0.47,
    "axles/1/left/clamp/cosine_deg": 0.21, "axles/1/left/clamp/sine_deg": -0.12,
    "axles/1/right/clamp/cosine_deg": -0.08, "axles/1/right/clamp/sine_deg": 0.17,
    "axles/2/left/clamp/cosine_deg": 0.01, "axles/2/left/clamp/sine_deg": 0.01,
    "axles/2/right/clamp/cosine_deg": -0.3, "axles/2/right/clamp/sine_deg": -0.26,
}  # fmt: skip
"""A kerb strike on the left rear, and front rods that were never set to it."""


def _wheel(quantity: str, axle: int, low: float, high: float, best: float) -> list[dict[str, Any]]:
    row = {"quantity": quantity, "axle": axle, "min": low, "max": high, "preferred": best}
    return [row | {"side": side} for side in ("left", "right")]


CAR_FIGURES = [
    {"quantity": "total_toe_deg", "axle": 1, "min": 0.0, "max": 0.3, "preferred": 0.15},
    *_wheel("camber_deg", 1, -1.2, 0.2, -0.5),
    *_wheel("caster_deg", 1, 2.0, 6.0, 4.0),
    {"quantity": "steer_ahead_deg", "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "total_toe_deg", "axle": 2, "min": 0.0, "max": 0.4, "preferred": 0.2},
    {"quantity": "thrust_angle_deg", "min": -0.1, "max": 0.1, "preferred": 0.0},
]
TRACTOR_FIGURES = [
    {"quantity": "total_toe_deg", "axle": 1, "min": 0.0, "max": 0.2, "preferred": 0.08},
    *_wheel("camber_deg", 1, -0.6, 0.8, 0.1),
    {"quantity": "steer_ahead_deg", "min": -0.1, "max": 0.1, "preferred": 0.0},
    {"quantity": "thrust_angle_deg", "min": -0.1, "max": 0.1, "preferred": 0.0},
    {"quantity": "scrub_deg", "axles": [2, 3], "min": -0.08, "max": 0.08, "preferred": 0.0},
]
TRAILER_FIGURES = [
    {"quantity": "bearing_deg", "axle": 1, "min": -0.1, "max": 0.1, "preferred": 0.0},
    {"quantity": "scrub_deg", "axles": [1, 2], "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "scrub_deg", "axles": [2, 3], "min": -0.08, "max": 0.08, "preferred": 0.0},
    *[{"quantity": "total_toe_deg", "axle": axle, "min": -0.15, "max": 0.15} for axle in (1, 2, 3)],
]

CAR = layout_of_pattern(pattern("car"))
TRACTOR = layout_of_pattern(pattern("tractor_6x4"))
TRAILER = layout_of_pattern(pattern("trailer_3"))
COACH = layout_of_pattern(pattern("coach"))
RIGID = layout_of_pattern(pattern("truck_8x4"))
"""Layouts of the trade's usual patterns."""

KITS = (
    ("Flag lasers, blue case", "flag_lasers", 70),
    ("Mirror lasers, long bar", "mirror_lasers", 41),
    ("Frame-gauge lasers", "frame_gauge_lasers", 12),
    ("Straightedge and tapes", "straightedge_tape", 100),
    ("Tyre bars", "tyre_bars", 55),
    ("Frame flags, four", "frame_flags", 90),
    ("Drive-over plate", "drive_over_plate", -5),
    ("Angle gauge", "angle_gauge", 30),
)
"""Name, kind, and days until the certificate runs out."""

SPECIFICATIONS = (
    (MAKE, MODEL, FIGURES), ("Skerrow", "Dunlin", CAR_FIGURES), ("Tarvane", "Hauler 64", TRACTOR_FIGURES),
    ("Holmgard", "Flat 3", TRAILER_FIGURES),
)  # fmt: skip
