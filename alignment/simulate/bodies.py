"""A vehicle of rigid bodies in space, on tilted ground, with tools hung on it: what each scale shows is traced by rays.

Nothing here asks the readings' own formulas: jobs made so tell whether those, and what is said of their doubt, are true.
x forward, y left, z up, in the datum's frame, level with axle 1. Millimetres and degrees outside, radians inside.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.spatial.transform import Rotation

from alignment.model.state import DEG
from alignment.model.vehicle import SIDES, Vehicle, side_sign
from alignment.readings import Reading
from alignment.readings.steering import ENDS

Array = NDArray[np.float64]
_BASE_MM = {
    "outboard_pair": 40.0,
    "mirror_pair": 60.0,
    "setback_scales": 30.0,
    "hub_square": 600.0,
    "frame_side": 400.0,
}
"""Where scales stand on a perfect vehicle: the lengths that nobody knows. Invented."""
_FORWARD, _UP = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])


def _turn(axis: str, degrees: float) -> Rotation:
    return Rotation.from_euler(axis, degrees, degrees=True)


class Bodies:
    """Wheels, clamps and gauges as bodies. ``truth`` is by names of unknowns, degrees and millimetres; what is absent is 0."""

    def __init__(self, vehicle: Vehicle, truth: Mapping[str, float]) -> None:
        self.vehicle, self.truth = vehicle, truth
        tilt = [self.at(f"ground/{name}_deg") for name in ("roll", "pitch")]
        self.ground = Rotation.from_euler("xy", tilt, degrees=True)
        self.up = self.ground.inv().apply(_UP)

    def at(self, name: str) -> float:
        """The true value of an unknown."""
        return float(self.truth.get(name, 0.0))

    def of_axle(self, axle: int, quantity: str) -> float:
        """The true value of an axle's unknown."""
        return self.at(f"axles/{axle}/{quantity}")

    # Where wheels stand, and which way.

    def centre(self, axle: int, side: str) -> Array:
        """A wheel's centre."""
        sign = side_sign(side)
        return np.array([-self.position(axle) + sign * self.of_axle(axle, "setback_mm") / 2,
                         -self.of_axle(axle, "offset_mm") + sign * self.track(axle) / 2, 0.0])  # fmt: skip

    def track(self, axle: int) -> float:
        """An axle's track: the vehicle's own where the truth says nothing else."""
        return self.truth.get(f"axles/{axle}/track_mm", self.vehicle.axle(axle).track_mm)

    def position(self, axle: int) -> float:
        """How far an axle stands behind axle 1: the vehicle's own where the truth says nothing else."""
        return self.truth.get(f"axles/{axle}/position_mm", self.vehicle.axle(axle).position_mm)

    def toe(self, axle: int, side: str) -> float:
        """A wheel's own toe."""
        return self.of_axle(axle, "total_toe_deg") / 2 + side_sign(side) * self.of_axle(axle, "bearing_deg")

    def wheel(self, axle: int, side: str) -> Rotation:
        """A wheel's pose."""
        return _pose(side, self.toe(axle, side), self.of_axle(axle, f"{side}/camber_deg"))

    def tool(self, axle: int, side: str, roll_deg: float = 0.0, *, clamped: bool = True) -> Rotation:
        """The pose of a tool on a wheel's clamp, after the wheel was rolled forward."""
        wheel = self.wheel(axle, side)
        if not clamped:
            return wheel
        at = f"{side}/clamp"
        askew = _pose(side, self.of_axle(axle, f"{at}/sine_deg"), self.of_axle(axle, f"{at}/cosine_deg"))
        return wheel * _turn("y", roll_deg) * askew

    def axis(self, pose: Rotation, side: str) -> Array:
        """A tool's or a wheel's own axis, outboard."""
        return np.asarray(pose.apply([0.0, side_sign(side), 0.0]))

    def beam(self, axle: int, side: str, *, clamped: bool) -> Array:
        """The direction ahead of a head that is turned on its clamp until its beam runs along the ground.

        A head that is levelled by gravity on ground that falls by p to the front sees a wheel of camber c with its toe off by
        c·p: 0.017 degrees for a degree of each. The readings' formulas leave that out, and so do these bodies.
        """
        ahead = side_sign(side) * np.cross(self.axis(self.tool(axle, side, clamped=clamped), side), _UP)
        return np.asarray(ahead / np.linalg.norm(ahead))

    def strikes(self, axle: int, side: str, x: float, *, clamped: bool) -> float:
        """How far to the left a head's beam passes the plane square to the datum at ``x``."""
        start, ray = self.centre(axle, side), self.beam(axle, side, clamped=clamped)
        return float(start[1] + ray[1] * (x - start[0]) / ray[0])

    def frame(self, x: float) -> float:
        """How far to the left the frame's line runs at ``x``."""
        return -(self.at("frame/offset_mm") + x * math.tan(self.at("frame/bearing_deg") / DEG))

    def dip(self, axis: Array) -> float:
        """By how many degrees an axis dips below the horizontal."""
        return -DEG * math.asin(float(axis @ self.up))

    def shown(self, reading: Reading) -> dict[str, Any]:
        """The measured fields of a reading as its scales stand."""
        found: dict[str, Any] = _SHOWN[reading.KIND](self, reading)
        return found


def _pose(side: str, toe_deg: float, camber_deg: float) -> Rotation:
    """Camber about x, then toe about z. Toe-in turns a left wheel to the right."""
    sign = side_sign(side)
    return _turn("z", -sign * toe_deg) * _turn("x", -sign * camber_deg)


def _outboard_pair(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    axle, carrier = reading.axle, reading.data["on"]
    x = reading.number("ahead_mm") - bodies.position(axle)
    shown = {}
    for side in SIDES:
        sign = side_sign(side)
        hit = bodies.strikes(axle, side, x, clamped=reading.raw)
        zero = bodies.frame(x)
        if isinstance(carrier, int):
            zero = _hung_on(bodies, carrier, side, x)
        shown[f"{side}_mm"] = sign * (hit - zero) + _BASE_MM[reading.KIND]
    return shown


def _hung_on(bodies: Bodies, carrier: int, side: str, x: float) -> float:
    """Where a scale hung on another axle's wheel has its zero: as far from the axle's middle on both sides."""
    middle = -bodies.of_axle(carrier, "offset_mm")
    beyond = x + bodies.position(carrier)
    toe, sign = bodies.toe(carrier, side) / DEG, side_sign(side)
    return middle + sign * bodies.track(carrier) / 2 - sign * beyond * math.tan(toe)


def _mirror_pair(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    heads, shown = int(reading.data["from_axle"]), {}
    for side in SIDES:
        sign, start = side_sign(side), bodies.centre(heads, side)
        head = bodies.beam(heads, side, clamped=reading.raw)
        normal = bodies.beam(reading.axle, side, clamped=reading.raw)
        ray = -head if reading.number("distance_mm") > 0 else head
        at = start + np.array([-reading.number("distance_mm"), 0.0, 0.0])
        hit = start + ray * ((at - start) @ normal) / (ray @ normal)
        back = ray - 2 * (ray @ normal) * normal
        end = hit + back * ((start - hit) @ head) / (back @ head)
        across = np.cross(_UP, head)
        shown[f"{side}_mm"] = sign * float(across @ (end - start)) + _BASE_MM[reading.KIND]
    return shown


def _toe_scales(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    size = reading.number("reference_diameter_mm") * (-1.0 if reading.data["heads"] == "reversed" else 1.0)
    return {
        f"{s}_mm": -side_sign(s) * size * float(bodies.beam(reading.axle, s, clamped=reading.raw)[1]) for s in SIDES
    }


def _cross_dial(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    inward = [-side_sign(s) * float(bodies.beam(reading.axle, s, clamped=reading.raw)[1]) for s in SIDES]
    if reading.unit == "deg":
        return {"dial_deg": 2 * DEG * sum(math.asin(one) for one in inward)}
    return {"dial_mm": 2 * reading.number("reference_diameter_mm") * sum(inward)}


def _toe_gauge(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    first = -bodies.position(reading.axle) - 500.0
    moved = reading.number("baseline_mm") * (-1.0 if reading.data["second"] == "rearward" else 1.0)
    apart = [
        bodies.strikes(reading.axle, "left", x, clamped=reading.raw)
        - bodies.strikes(reading.axle, "right", x, clamped=reading.raw)
        for x in (first, first + moved)
    ]
    return {"shift_mm": apart[1] - apart[0]}


def _setback_scales(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    centres = {side: bodies.centre(reading.axle, side) for side in SIDES}
    struck = {}
    for side, other in (("left", "right"), ("right", "left")):
        inward = np.array([0.0, -side_sign(side), 0.0])
        if reading.data.get("square_to", "wheels") == "wheels":
            ahead = bodies.beam(reading.axle, side, clamped=reading.raw)
            inward = -side_sign(side) * np.cross(_UP, ahead)
        way = (centres[other][1] - centres[side][1]) / inward[1]
        struck[other] = centres[side][0] + way * inward[0] - centres[other][0]
    return {f"{side}_mm": _BASE_MM[reading.KIND] - struck[side] / 2 for side in SIDES}


def _tape_toe(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    radius = reading.number("diameter_mm") / 2
    width = {}
    for name, end in (("ahead_mm", 1.0), ("behind_mm", -1.0)):
        marks = [
            bodies.centre(reading.axle, s) + bodies.wheel(reading.axle, s).apply(end * radius * _FORWARD) for s in SIDES
        ]
        width[name] = float(marks[0][1] - marks[1][1])
    return width


def _hub_square(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    axle = reading.axle
    inset = (bodies.track(axle) - reading.number("span_mm")) / 2
    along = _turn("z", -bodies.at("frame/bearing_deg")).apply(_FORWARD)
    beam = _turn("z", -bodies.of_axle(axle, "bearing_deg"))
    edge = -bodies.position(axle) + _BASE_MM[reading.KIND]
    points = {s: bodies.centre(axle, s) + beam.apply([0.0, -side_sign(s) * inset, 0.0]) for s in SIDES}
    return {f"{s}_mm": float(edge - points[s] @ along) for s in SIDES}


def _frame_side(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    x = -bodies.position(reading.axle)
    middle, half = -bodies.of_axle(reading.axle, "offset_mm"), _BASE_MM[reading.KIND]
    return {f"{s}_mm": side_sign(s) * (middle - bodies.frame(x)) + half for s in SIDES}


def _zero(bodies: Bodies, reading: Reading) -> float:
    return bodies.at(f"gauges/{reading.gauge}/zero_deg")


def _camber(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    tool = bodies.tool(reading.axle, reading.side, clamped=reading.raw)
    return {"deg": bodies.dip(bodies.axis(tool, reading.side)) + _zero(bodies, reading)}


def _runout(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    found = []
    for position in reading.data["positions"]:
        axis = bodies.axis(bodies.tool(reading.axle, reading.side, position["roll_deg"]), reading.side)
        shows = {"roll_deg": position["roll_deg"], "camber_deg": bodies.dip(axis) + _zero(bodies, reading)}
        if "toe_deg" in position:
            shows["toe_deg"] = DEG * math.atan2(axis[0], side_sign(reading.side) * axis[1])
        found.append(shows)
    return {"positions": found}


def _toe(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    axis = bodies.axis(bodies.tool(reading.axle, reading.side, clamped=reading.raw), reading.side)
    return {"deg": DEG * math.atan2(axis[0], side_sign(reading.side) * axis[1])}


def _head(bodies: Bodies, axle: int, side: str, arm_mm: float, out_mm: float, *, clamped: bool) -> Array:
    """Where an electronic head stands on its arm, in the level plane."""
    ahead = bodies.beam(axle, side, clamped=clamped)
    outboard = side_sign(side) * np.cross(_UP, ahead)
    return np.asarray(bodies.centre(axle, side) + arm_mm * ahead + out_mm * outboard)


def _sight(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    to, other, data = reading.data["to_axle"], {"left": "right", "right": "left"}[reading.side], reading.data
    seen = (to, reading.side) if to != reading.axle else (to, other)
    places = [
        _head(bodies, *wheel, *(float(data.get(f"{of}{name}_mm", 0.0)) for name in ("arm", "out")), clamped=reading.raw)
        for of, wheel in (("", (reading.axle, reading.side)), ("to_", seen))
    ]
    line = places[1] - places[0]
    # Along the side the line is taken forward; across, what is square to it is.
    forward = line if to != reading.axle else np.cross(line, _UP)
    forward = forward if forward[0] > 0 else -forward
    ahead = bodies.beam(reading.axle, reading.side, clamped=reading.raw)
    # How far to the right of the line the wheel points; toe-in turns a left wheel to the right.
    turned = DEG * math.atan2(forward[1] * ahead[0] - forward[0] * ahead[1], float(forward[:2] @ ahead[:2]))
    return {"deg": side_sign(reading.side) * turned}


def _rim_angle(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    return {"deg": 90.0 + DEG * math.asin(bodies.axis(bodies.wheel(reading.axle, reading.side), reading.side)[2])}


def _steering_axis(bodies: Bodies, axle: int, side: str) -> Array:
    caster, sai = (math.tan(bodies.of_axle(axle, f"{side}/{name}_deg") / DEG) for name in ("caster", "sai"))
    axis = np.array([-caster, -side_sign(side) * sai, 1.0])
    return np.asarray(axis / np.linalg.norm(axis))


def _against_gravity(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    x, y, z = bodies.ground.apply(_steering_axis(bodies, reading.axle, reading.side))
    return {"deg": DEG * math.atan2(-x if reading.KIND == "caster" else -side_sign(reading.side) * y, z)}


def _swing(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    axle, side = reading.axle, reading.side
    sign, about = side_sign(side), _steering_axis(bodies, axle, side)
    spin = bodies.axis(bodies.wheel(axle, side), side)
    gauge = bodies.tool(axle, side, clamped=reading.raw)
    hung = bodies.axis(gauge, side)
    level = sign * np.cross(hung, _UP)
    shown = {}
    for end, outward in (("out", reading.number("out_deg")), ("in", -reading.number("in_deg"))):

        def off(angle: float, outward: float = outward) -> float:
            x, y, _ = Rotation.from_rotvec(about * angle / DEG).apply(spin)
            return DEG * math.atan2(x, sign * y) - (bodies.toe(axle, side) - outward)

        turned = Rotation.from_rotvec(about * brentq(off, -80.0, 80.0, xtol=1e-12) / DEG)
        shown[f"camber_{end}_deg"] = bodies.dip(turned.apply(hung))
        if "pitch_out_deg" in reading.data:
            shown[f"pitch_{end}_deg"] = -bodies.dip(turned.apply(level / np.linalg.norm(level)))
    return shown


def _turn_angles(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    outer = {f"outer_{way}_turn_deg": 20.0 - bodies.of_axle(reading.axle, f"toe_out_{way}_turn_deg") for way in SIDES}
    return {"inner_deg": 20.0, **outer}


def _lock(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    at = f"axles/{reading.axle}/{reading.side}"
    return {f"{way}_deg": bodies.at(f"{at}/lock_{way}_deg") for way in ENDS}


def _drive_over(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    return {"deg": sum(bodies.toe(reading.axle, side) for side in SIDES)}


def _wheel_axis(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    axis = bodies.axis(bodies.wheel(reading.axle, reading.side), reading.side)
    place, turned = _rig(bodies, reading)
    centre = turned.inv().apply(bodies.centre(reading.axle, reading.side) - place)
    return {"centre_mm": centre.tolist(), "axis": turned.inv().apply(axis).tolist()}


def _rig(bodies: Bodies, reading: Reading) -> tuple[Array, Rotation]:
    """Where the rig stands that saw a reading, and how it is turned; the datum's own frame without one."""
    at = f"rigs/{reading.data.get('rig', '')}"
    place = np.array([bodies.at(f"{at}/x_mm"), bodies.at(f"{at}/y_mm"), 0.0])
    return place, _turn("z", bodies.at(f"{at}/heading_deg"))


def _steer_axis(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    turned = _rig(bodies, reading)[1]
    return {"axis": turned.inv().apply(_steering_axis(bodies, reading.axle, reading.side)).tolist()}


def _tread(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    left, right = (bodies.centre(reading.axle, side) for side in SIDES)
    apart = float(left[1] - right[1])
    return {"outer_mm": apart + 205.0, "inner_mm": apart - 205.0}


def _stagger(bodies: Bodies, reading: Reading) -> dict[str, Any]:
    larger = bodies.of_axle(reading.axle, "stagger_mm")
    return {"left_mm": 1900.0, "right_mm": 1900.0 + larger}


_SHOWN: dict[str, Callable[[Bodies, Reading], dict[str, Any]]] = {
    "outboard_pair": _outboard_pair, "mirror_pair": _mirror_pair, "toe_scales": _toe_scales, "cross_dial": _cross_dial,
    "toe_gauge": _toe_gauge, "setback_scales": _setback_scales, "tape_toe": _tape_toe, "hub_square": _hub_square,
    "frame_side": _frame_side, "camber": _camber, "runout": _runout, "toe": _toe, "sight": _sight, "rim_angle": _rim_angle,
    "caster": _against_gravity, "sai": _against_gravity, "swing": _swing, "turn": _turn_angles, "lock": _lock, "drive_over": _drive_over,
    "wheel_axis": _wheel_axis, "steer_axis": _steer_axis, "tread": _tread, "stagger": _stagger,
}  # fmt: skip
