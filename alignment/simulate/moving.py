"""Moves made on rigid bodies: what an adjuster does to a vehicle in space, without asking what the program thinks it does.

A wheel turns about its steering axis. A knuckle whose ball joint is moved leans about the other one, and turns until its tie
rod has its length again. A beam turns about its pivot. ``share`` is what the adjuster really moves, of what its dimensions say.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.spatial.transform import Rotation

from alignment.adjust.hardware import Hardware
from alignment.adjust.hardware.arms import ArmMounting
from alignment.model.state import DEG
from alignment.model.vehicle import SIDES, Vehicle, side_sign

Array = NDArray[np.float64]
Truth = dict[str, float]
TIE_ROD_MM, ARM_MM, JOINTS_MM = 350.0, 140.0, 320.0
"""A made-up knuckle: its tie rod's length, how far behind the axle that is held, and the ball joints' distance."""
_FIXED_AXIS = (0.0, 8.0)
"""Caster and inclination of a knuckle that does not steer, degrees. Invented."""


class Body:
    """One vehicle whose adjusters are moved. ``rod_height_mm`` is how far above the lower ball joint the tie rods are held: it
    decides by how much a knuckle turns as it leans.
    """

    def __init__(self, vehicle: Vehicle, truth: Mapping[str, float], rod_height_mm: float = 60.0) -> None:
        self.vehicle, self.truth = vehicle, dict(truth)
        self.rod_height_mm = rod_height_mm

    def move(self, one: Hardware, start: float | str, end: float | str, share: float = 1.0) -> None:
        """Move an adjuster from one position to another."""
        nominal = one.adjuster()
        before, after = ({} if at is None else nominal.effect_at(at) for at in (start, end))
        change = {path: share * (after.get(path, 0.0) - before.get(path, 0.0)) for path in {*before, *after}}
        _MOVES[one.WORK](self, one, change)

    # A wheel's pose as vectors, and back.

    def _spin(self, axle: int, side: str) -> Array:
        toe, camber = (
            angle / DEG for angle in (self.toe(axle, side), self.truth.get(f"axles/{axle}/{side}/camber_deg", 0.0))
        )
        sign = side_sign(side)
        return np.array([math.cos(camber) * math.sin(toe), sign * math.cos(camber) * math.cos(toe), -math.sin(camber)])

    def toe(self, axle: int, side: str) -> float:
        """A wheel's own toe, degrees."""
        at = f"axles/{axle}"
        return self.truth.get(f"{at}/total_toe_deg", 0.0) / 2 + side_sign(side) * self.truth.get(
            f"{at}/bearing_deg", 0.0
        )

    def _axis(self, axle: int, side: str) -> Array:
        at = f"axles/{axle}/{side}"
        caster, sai = (
            math.tan(self.truth.get(f"{at}/{name}_deg", usual) / DEG)
            for name, usual in zip(("caster", "sai"), _FIXED_AXIS, strict=True)
        )
        axis = np.array([-caster, -side_sign(side) * sai, 1.0])
        return np.asarray(axis / np.linalg.norm(axis))

    def _put(self, axle: int, side: str, spin: Array, axis: Array | None = None) -> None:
        """Take over how a wheel now stands."""
        sign, at = side_sign(side), f"axles/{axle}"
        toes = {one: self.toe(axle, one) for one in SIDES}
        toes[side] = DEG * math.atan2(spin[0], sign * spin[1])
        self.truth |= {
            f"{at}/{side}/camber_deg": -DEG * math.asin(spin[2]),
            f"{at}/total_toe_deg": toes["left"] + toes["right"],
            f"{at}/bearing_deg": (toes["left"] - toes["right"]) / 2,
        }
        if axis is not None and self.vehicle.axle(axle).steers:
            self.truth |= {
                f"{at}/{side}/caster_deg": DEG * math.atan2(-axis[0], axis[2]),
                f"{at}/{side}/sai_deg": DEG * math.atan2(-sign * axis[1], axis[2]),
            }

    def steer(self, axle: int, side: str, toe_deg: float) -> None:
        """Turn a wheel about its steering axis until its toe has changed by so much."""
        spin, axis = self._spin(axle, side), self._axis(axle, side)
        wanted, sign = self.toe(axle, side) + toe_deg, side_sign(side)

        def off(angle: float) -> float:
            x, y, _ = Rotation.from_rotvec(axis * angle / DEG).apply(spin)
            return DEG * math.atan2(x, sign * y) - wanted

        self._put(axle, side, Rotation.from_rotvec(axis * brentq(off, -30.0, 30.0, xtol=1e-12) / DEG).apply(spin))

    def lean(self, axle: int, side: str, arm: str, joint: Array) -> None:
        """Move a knuckle's ball joint at an arm by ``joint`` (forward, outboard), mm."""
        sign, axis = side_sign(side), self._axis(axle, side)
        span = JOINTS_MM / axis[2]
        lower, upper = np.zeros(3), axis * span
        shift = np.array([joint[0], sign * joint[1], 0.0])
        if arm == "upper":
            upper = upper + shift
        else:
            lower = lower + shift
        # The knuckle keeps its length: the upper joint follows up or down.
        level = (upper - lower)[:2]
        now = np.array([*level, math.sqrt(span * span - float(level @ level))]) / span
        # The tie rod lies behind the axle, level, its outer end at its own height; its inner end stays.
        outer = np.array([-ARM_MM, 0.0, self.rod_height_mm])
        inner = outer - np.array([0.0, sign * TIE_ROD_MM, 0.0])
        across = np.cross(axis, now)
        size = float(np.linalg.norm(across))
        tipped = Rotation.from_rotvec(across / size * math.asin(min(size, 1.0))) if size else Rotation.identity()

        def off(angle: float) -> float:
            end = lower + (Rotation.from_rotvec(now * angle / DEG) * tipped).apply(outer)
            return float(np.linalg.norm(end - inner)) - TIE_ROD_MM

        whole = Rotation.from_rotvec(now * brentq(off, -10.0, 10.0, xtol=1e-12) / DEG) * tipped
        self._put(axle, side, whole.apply(self._spin(axle, side)), now)

    def turn_beam(self, axle: int, bearing_deg: float, pivot: str, lever_mm: float) -> None:
        """Turn a beam about an end: its wheels turn alike, and its middle swings about the pivot."""
        at, sign = f"axles/{axle}", side_sign(pivot) if pivot else 0.0
        turn, arm = bearing_deg / DEG, sign * lever_mm / 2
        self.truth[f"{at}/bearing_deg"] = self.truth.get(f"{at}/bearing_deg", 0.0) + bearing_deg
        self.truth[f"{at}/offset_mm"] = self.truth.get(f"{at}/offset_mm", 0.0) - arm * (1 - math.cos(turn))
        track = self.vehicle.axle(axle).track_mm
        now = self.truth[f"{at}/bearing_deg"] / DEG
        self.truth[f"{at}/setback_mm"] = self.truth.get(f"{at}/setback_mm", 0.0) + track * (
            math.tan(now) - math.tan(now - turn)
        )


def _rod(body: Body, _one: Hardware, change: Mapping[str, float]) -> None:
    for path, size in change.items():
        match path.split("/"):
            case ["axles", axle, side, "toe_deg"]:
                body.steer(int(axle), side, size)
            case ["axles", axle, "total_toe_deg"]:
                for side in SIDES:
                    body.steer(int(axle), side, size / 2)
            case ["axles", axle, "bearing_deg"]:
                for side in SIDES:
                    body.steer(int(axle), side, side_sign(side) * size)


def _arm(body: Body, one: Hardware, change: Mapping[str, float]) -> None:
    """A ball joint goes where the change of camber and caster asks; toe and inclination follow from the knuckle."""
    leans = {path.rsplit("/", 1)[1]: size for path, size in change.items()}
    if not leans.keys() & {"camber_deg", "caster_deg"}:
        body.steer(one.axle, one.side, leans.get("toe_deg", 0.0))
        return
    arm = one.arm if isinstance(one, ArmMounting) else "upper"
    way = 1.0 if arm == "upper" else -1.0
    outboard = way * JOINTS_MM * math.tan(leans.get("camber_deg", 0.0) / DEG)
    forward = -way * JOINTS_MM * math.tan(leans.get("caster_deg", 0.0) / DEG)
    body.lean(one.axle, one.side, arm, np.array([forward, outboard]))


def _beam(body: Body, one: Hardware, change: Mapping[str, float]) -> None:
    for path, size in change.items():
        match path.split("/"):
            case ["axles", axle, "bearing_deg"]:
                other = {"left": "right", "right": "left"}.get(one.side, "")
                body.turn_beam(int(axle), size, other, float(getattr(one, "lever_mm", None) or 900.0))
            case ["axles", _, "offset_mm"]:
                body.truth[path] = body.truth.get(path, 0.0) + size
            case ["axles", axle, side, "caster_deg"] if size:
                tipped = Rotation.from_euler("y", -size, degrees=True)
                spin, axis = (tipped.apply(v) for v in (body._spin(int(axle), side), body._axis(int(axle), side)))  # noqa: SLF001
                body._put(int(axle), side, spin, axis)  # noqa: SLF001 - the body's own parts


_MOVES: dict[str, Callable[[Body, Hardware, Mapping[str, float]], None]] = {"rod": _rod, "arm": _arm, "beam": _beam}
