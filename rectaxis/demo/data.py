"""The demo's made-up vehicles and figures. Nothing here is anybody's."""

from __future__ import annotations

from typing import Any

from alignment.patterns import pattern
from rectaxis.fleets.forms import layout_of_pattern

MAKE, MODEL = "Brannoch", "Pelter 27"


def _both(entry: dict[str, Any]) -> list[dict[str, Any]]:
    """One adjuster on the left and its like on the right."""
    return [entry | {"side": side} for side in ("left", "right")]


def _rods(axle: int, pitch: float, arm: float, **more: Any) -> list[dict[str, Any]]:
    return _both({"kind": "tie_rod", "axle": axle, "pitch_mm": pitch, "arm_mm": arm, **more})


VAN = {
    "vehicle": {
        "axles": [
            {"role": "steer", "position_mm": 0, "track_mm": 1540},
            {"role": "drive", "position_mm": 2700, "track_mm": 1530, "rigid": False},
        ],
        "thrust_axle": 2,
    },
    "steering_ratio": 15.8,
    "adjusters": [*_rods(1, 1.25, 145.0), *_rods(2, 1.25, 190.0, ahead=True, outer_thread="left")],
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

OLD_FIGURES = [
    {"quantity": "total_toe_deg", "axle": 1, "min": 0.1, "max": 0.4, "preferred": 0.25},
    {"quantity": "total_toe_deg", "axle": 2, "min": 0.0, "max": 0.4, "preferred": 0.2},
    {"quantity": "thrust_angle_deg", "min": -0.1, "max": 0.1, "preferred": 0.0},
]
"""The same van of earlier years has other figures: several sets for one model are told apart by their years."""

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
YARD = {"ground/roll_deg": 0.4, "ground/pitch_deg": -0.2}
"""The concrete at the harbour falls a little to the right and rises to the front."""


def _wheel(quantity: str, axle: int, low: float, high: float, best: float) -> list[dict[str, Any]]:
    row = {"quantity": quantity, "axle": axle, "min": low, "max": high, "preferred": best}
    return [row | {"side": side} for side in ("left", "right")]


CAR_FIGURES = [
    {"quantity": "total_toe_deg", "axle": 1, "min": 0.0, "max": 0.3, "preferred": 0.15},
    *_wheel("camber_deg", 1, -1.2, 0.2, -0.5),
    *_wheel("caster_deg", 1, 2.0, 6.0, 4.0),
    {"quantity": "steer_ahead_deg", "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "total_toe_deg", "axle": 2, "min": 0.0, "max": 0.4, "preferred": 0.2},
    *_wheel("camber_deg", 2, -1.6, -0.2, -0.9),
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


def _plates(axle: int, mounting: str, camber: float, caster: float, toe: float) -> list[dict[str, Any]]:
    """Nine numbered plates from inner to outer, the fifth of them in place on both sides."""
    table = {}
    for number in range(1, 10):
        step = (number - 5) / 4
        angles = {"camber": camber * step, "caster": caster * step, "toe": toe * step}
        table[str(number)] = {name: round(value, 3) for name, value in angles.items() if value}
    return _both({"kind": "insert_plate", "axle": axle, "mounting": mounting, "installed": "5", "table": table})


CAR = layout_of_pattern(pattern("car")) | {
    "adjusters": [
        *_rods(1, 1.5, 150.0),
        *_both({"kind": "cam", "axle": 2, "arm": "lower", "height_mm": 330.0, "throw_mm": 5.0, "steers": False,
                "toe_per_camber": 0.1}),
        *_both({"kind": "toe_cam", "axle": 2, "arm_mm": 240.0, "throw_mm": 4.0, "mark_deg": 5.0}),
    ]
}  # fmt: skip
"""A car whose rear is set by cams: camber at the lower arms, toe at the links."""
SPORTS = layout_of_pattern(pattern("car")) | {
    "adjusters": [
        *_rods(1, 1.25, 140.0),
        *_plates(1, "upper front mounting", 0.45, 0.5, -0.06),
        *_plates(1, "upper rear mounting", 0.45, -0.5, -0.06),
        *_plates(2, "upper front mounting", 0.4, 0.0, 0.12),
        *_plates(2, "upper rear mounting", 0.4, 0.0, -0.12),
        *_rods(2, 1.25, 170.0),
    ],
    "competes": True,
}
"""A car for hill climbs with numbered plates at eight mountings."""
TRACTOR = layout_of_pattern(pattern("tractor_6x4")) | {
    "adjusters": [
        {"kind": "track_rod", "axle": 1, "pitch_mm": 1.5, "arm_mm": 210.0},
        {"kind": "drag_link", "axle": 1, "pitch_mm": 1.5, "arm_mm": 230.0},
        *_both({"kind": "spring_shims", "axle": 2, "where": "hanger", "thickness_mm": 0.8, "lever_mm": 1500.0}),
        *_both({"kind": "torque_rod", "axle": 3, "pitch_mm": 2.0, "lever_mm": 900.0, "reach_flats": 18}),
    ]
}  # fmt: skip
"""A tractor whose forward drive axle is shimmed at its hangers, and whose rear one hangs on threaded torque rods."""
TRAILER = layout_of_pattern(pattern("trailer_3"))
COACH = layout_of_pattern(pattern("coach"))
RIGID = layout_of_pattern(pattern("truck_8x4")) | {
    "packings": [{"axle": 1, "thickness_mm": 7.9, "above": 0, "below": 1, "low_mm": 455.0, "high_mm": 470.0}]
}
TWIN_STEER = layout_of_pattern(pattern("truck_10x2"))
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
    ("Wheel heads, four", "wheel_heads", 120),
    ("Wheel cameras, yellow case", "frame_cameras", 150),
    ("Target cameras, tall stand", "target_cameras", 210),
    ("Target cameras, two posts", "target_cameras_posts", 240),
)
"""Name, kind, and days until the certificate runs out."""

SPORTS_FIGURES = [
    {"quantity": "total_toe_deg", "axle": 1, "min": 0.0, "max": 0.2, "preferred": 0.1},
    *_wheel("camber_deg", 1, -1.5, -0.7, -1.1),
    *_wheel("caster_deg", 1, 2.2, 6.2, 4.2),
    *_wheel("lock_out_deg", 1, 35.0, 41.0, 38.0),
    {"quantity": "steer_ahead_deg", "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "total_toe_deg", "axle": 2, "min": 0.1, "max": 0.4, "preferred": 0.24},
    *_wheel("camber_deg", 2, -1.9, -1.1, -1.5),
    {"quantity": "thrust_angle_deg", "min": -0.1, "max": 0.1, "preferred": 0.0},
    {"quantity": "tread_mm", "axle": 1, "min": 1535.0, "max": 1545.0},
    {"quantity": "tread_mm", "axle": 2, "min": 1525.0, "max": 1535.0},
    {"quantity": "stagger_mm", "axle": 2, "min": -6.0, "max": 6.0, "preferred": 0.0},
]

LOWERED_FIGURES = [
    *(row for row in SPORTS_FIGURES if (row["quantity"], row.get("axle")) != ("camber_deg", 1)),
    *(
        {**row, "height_mm": height}
        for height, preferred in ((310.0, -2.2), (330.0, -1.6), (350.0, -1.1))
        for row in _wheel("camber_deg", 1, round(preferred - 0.4, 2), round(preferred + 0.4, 2), preferred)
    ),
]
"""The same car on springs that can be turned down: its front camber goes by the ride height."""

SPECIFICATIONS = (
    (MAKE, MODEL, FIGURES), ("Skerrow", "Dunlin", CAR_FIGURES), ("Tarvane", "Hauler 64", TRACTOR_FIGURES),
    ("Holmgard", "Flat 3", TRAILER_FIGURES), ("Merrin", "Whimbrel 9", SPORTS_FIGURES),
)  # fmt: skip
