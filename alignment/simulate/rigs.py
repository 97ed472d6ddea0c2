"""Made-up rigs of cameras before made-up vehicles: set-up files with their pictures, and the truth behind them.

The cameras that take the pictures are not quite those of the certificate: they err by what it states. Invented figures.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

import cv2
import numpy as np
from scipy.spatial.transform import Rotation

from alignment.camera.lens import REARWARD
from alignment.camera.level import HEIGHT_SHARE
from alignment.camera.plates import Plate
from alignment.model.formula import Array
from alignment.model.vehicle import SIDES, side_sign
from alignment.simulate.pictures import Conditions, Eye, Picture
from alignment.simulate.rolling import Moment, RollingWheel, Wheel, plates_at

PLATE = Plate(10, 8, 30.0, 16.0, 36.0)
"""What the made-up kits print on their targets."""


@dataclass(frozen=True)
class RigKit:
    """A kit of cameras: their certificate, and how well it is known (standard uncertainties, with the reason in the kit's
    file).
    """

    size: tuple[int, int]
    focal_px: float
    distortion: tuple[float, float, float, float, float]
    noise: float
    blur: float
    u_rotation_deg: float
    u_position_mm: float
    u_focal: float
    u_out_mm: float
    u_up_deg: float
    plate: Plate = PLATE


DEFAULT = RigKit((1600, 1300), 3600.0, (-0.12, 0.05, 0.0, 0.0, 0.0), 2.0, 0.8, 0.004, 0.2, 1e-4, 0.5, 0.01)
"""Two industrial cameras of two megapixels on a stand."""
CHEAP = RigKit(
    (1920, 1440),
    2800.0,
    (0.08, -0.15, 0.0005, -0.0005, 0.0),
    3.0,
    1.1,
    0.015,
    0.5,
    5e-4,
    1.0,
    0.05,
    Plate(8, 6, 45.0, 24.0, 54.0),
)
"""Two cameras as telephones have them, and targets of large dots."""


EXACT = replace(DEFAULT, u_rotation_deg=0.0, u_position_mm=0.0, u_focal=0.0, u_out_mm=0.0, u_up_deg=0.0)
"""The default kit with a certificate that is exact: the dots alone."""
SMALL = replace(DEFAULT, size=(800, 650), focal_px=1800.0, plate=Plate(10, 8, 54.0, 29.0, 64.0))
"""A quarter of the pixels and larger plates: the same angles in a quarter of the time, for tests and examples."""


OF_POSTS = replace(
    DEFAULT,
    size=(1280, 1700),
    focal_px=3400.0,
    u_rotation_deg=0.006,
    u_position_mm=0.3,
    plate=Plate(8, 6, 52.0, 28.0, 70.0),
)
"""Cameras on posts, on their sides, of which a bar tells how they stand to each other; large dots, which are seen from far."""


class Standing(NamedTuple):
    """Where the two cameras of a rig stand: how far ahead of axle 1, each how far on its own side of the vehicle's middle, and
    how high above the ground, mm; and which way they look from straight rearward: ``down``, and ``out`` to their own side,
    degrees. They look down on the plates, so that the front ones do not hide the rear ones. ``apart`` where the vehicle between
    them hides the other side's wheels from each. Invented.
    """

    name: str
    ahead: float
    aside: float
    high: float
    down: float
    out: float
    apart: bool = False


STAND = Standing("stand", 3100.0, 650.0, 1150.0, 10.5, 3.5)
"""Both on one stand, each along its own side of a car."""
POSTS = Standing("posts", 4200.0, 2600.0, 3400.0, 23.0, -13.0, apart=True)
"""A post at each side, from which the plates of five axles are seen one above the other."""


class Wheels(NamedTuple):
    """What a made-up vehicle stands on: where its axles are behind the first, half its track and its wheels' radius, mm, and
    which axles steer.
    """

    places: Sequence[float]
    half_track: float
    radius: float
    steered: frozenset[int] = frozenset({1})


CAR = Wheels((0.0, 2650.0, 5300.0), 760.0, 318.0)
LONG_TRUCK = Wheels((0.0, 1900.0, 4100.0, 5450.0, 6800.0), 1020.0, 500.0, frozenset({1, 2}))


@dataclass(frozen=True)
class Scenario:
    """A vehicle before a rig: ``wheels`` as they stand, ``eyes`` as they really are, ``moments`` of the shots. ``order`` are
    plates on other wheels than the file says, ``knocked`` a camera that is turned by a rotation vector from a shot on.
    """

    kit: RigKit
    wheels: tuple[RollingWheel, ...]
    eyes: Mapping[str, Eye]
    certificates: Sequence[Mapping[str, Any]]
    up: Array
    moments: tuple[Moment, ...]
    conditions: Mapping[tuple[int, str], Conditions] = field(default_factory=dict)
    seed: int = 0
    order: Mapping[Wheel, Wheel] = field(default_factory=dict)
    knocked: tuple[str, int, Array] | None = None
    gravity: Array | None = None
    """Straight up against gravity (3,), in the frame in which the wheels are given, where the ground is uneven."""
    plumb: Array | None = None
    """The same as the rig's level gives it, in the rig's frame."""
    standing: Standing = STAND

    def plates(self) -> dict[Wheel, Plate]:
        """Which plate hangs on which wheel: as the file says, but where two are swapped."""
        numbers = {(wheel.axle, wheel.side): number for number, wheel in enumerate(self.wheels)}
        return {key: replace(self.kit.plate, first_marker=4 * numbers[self.order.get(key, key)]) for key in numbers}

    def document(self, *, up: bool = True, form: str = "png") -> dict[str, Any]:
        """The set-up's file."""
        plate = self.kit.plate
        targets = [
            {"id": f"T{number + 1}", "axle": wheel.axle, "side": wheel.side, "columns": plate.columns, "rows": plate.rows,
             "pitch_mm": plate.pitch_mm, "dot_mm": plate.dot_mm, "dictionary": plate.dictionary, "marker_mm": plate.marker_mm,
             "first_marker": 4 * number, "out_mm": 170.0, "u_out_mm": self.kit.u_out_mm}
            for number, wheel in enumerate(self.wheels)
        ]  # fmt: skip
        shots = [
            {
                "id": f"s{number}",
                "move": moment.move,
                "pictures": {name: f"s{number}-{name.lower()}.{form}" for name in self.eyes},
            }
            for number, moment in enumerate(self.moments)
        ]
        level = {"up": self.up.tolist(), "u_up_deg": self.kit.u_up_deg} if up else {}
        if self.plumb is not None:
            level |= {"plumb": self.plumb.tolist(), "u_plumb_deg": self.kit.u_up_deg}
        return {"format": "rectaxis-pictures", "version": 1, "rig": self.standing.name, "phase": "before",
                "cameras": [dict(one) for one in self.certificates], "targets": targets, **level, "shots": shots}  # fmt: skip

    def pictures(self, plates: Mapping[Wheel, Plate] | None = None) -> Iterator[tuple[int, str, Picture]]:
        """Every picture, by shot and camera; with ``plates`` of those wheels alone."""
        rng = np.random.default_rng(self.seed)
        plates = self.plates() if plates is None else plates
        usual = Conditions(noise=self.kit.noise, blur=self.kit.blur)
        for number, moment in enumerate(self.moments):
            poses = plates_at(self.wheels, moment)
            for name in self.eyes:
                eye = self._eye(name, number)
                how = self.conditions.get((number, name), usual)
                seen = [(plates[key], poses[key]) for key in plates if self._may_see(name, key)]
                yield number, name, eye.take(seen, how, rng)

    def _may_see(self, camera: str, wheel: Wheel) -> bool:
        """Whether nothing of the vehicle stands between a camera and a wheel."""
        return not self.standing.apart or wheel[1] == dict(zip(self.eyes, SIDES, strict=True))[camera]

    def _eye(self, name: str, shot: int) -> Eye:
        """A camera as it stands in a shot."""
        eye = self.eyes[name]
        if self.knocked is None or name != self.knocked[0] or shot < self.knocked[1]:
            return eye
        return replace(eye, rotation=eye.rotation @ Rotation.from_rotvec(self.knocked[2]).inv().as_matrix())

    def dots(self, noise: float = 0.0) -> Iterator[tuple[int, int, str, Array]]:
        """Every dot that is seen, without pictures: target, shot, camera and pixels (n, 2), with a normal error of ``noise``
        pixels.

        A dot's outline is followed through the lens by OpenCV's projection, and its middle is that of the area within.
        """
        rng = np.random.default_rng(self.seed)
        round_ = np.linspace(0, 2 * math.pi, _OUTLINE, endpoint=False)
        edge = self.kit.plate.dot_mm / 2 * np.stack((np.cos(round_), np.sin(round_)), axis=1)
        outlines = (self.kit.plate.dots[:, None, :] + edge).reshape(-1, 2)
        flat = np.hstack((outlines, np.zeros((len(outlines), 1))))
        for shot, moment in enumerate(self.moments):
            for target, (wheel, pose) in enumerate(plates_at(self.wheels, moment).items()):
                for name in (one for one in self.eyes if self._may_see(one, wheel)):
                    eye = self._eye(name, shot)
                    turn, place = eye.rotation @ pose.turn, eye.rotation @ (pose.place - eye.position)
                    matrix = np.array(
                        [[eye.focal[0], 0, eye.principal[0]], [0, eye.focal[1], eye.principal[1]], [0, 0, 1]]
                    )
                    pixels, _ = cv2.projectPoints(flat, cv2.Rodrigues(turn)[0], place, matrix, np.array(eye.distortion))
                    outlined = np.asarray(pixels, dtype=float).reshape(-1, _OUTLINE, 2)
                    middles = _middles(outlined) + noise * rng.standard_normal((len(outlined), 2))
                    if ((outlined > 0) & (outlined < np.array(eye.size) - 1)).all() and turn[:, 2] @ place > 0:
                        yield target, shot, name, middles

    def truth(self) -> dict[str, float]:
        """The results that a solve must come to, by path: degrees and millimetres, against the line through the axles'
        middles.
        """
        last, wheels = self.moments[-1], {(wheel.axle, wheel.side): wheel for wheel in self.wheels}
        axles = sorted({axle for axle, _ in wheels})
        middles = {axle: (wheels[axle, "left"].centre + wheels[axle, "right"].centre) / 2 for axle in axles}
        line = middles[axles[0]] - middles[axles[-1]]
        # Anticlockwise from the frame in which the wheels are given to the datum line.
        datum = Rotation.from_euler("z", math.atan2(line[1], line[0])).inv()
        off = math.degrees(math.atan2(line[1], line[0]))
        found: dict[str, float] = {}
        for axle in axles:
            at, toes = f"axles/{axle}", {}
            for side in SIDES:
                wheel, sign = wheels[axle, side], side_sign(side)
                toe, camber = last.adjusted.get((axle, side), (wheel.toe, wheel.camber))
                toes[side] = found[f"{at}/{side}/toe_deg"] = toe + sign * off
                found[f"{at}/{side}/camber_deg"] = camber
                if self.gravity is not None:
                    spin = replace(wheel, toe=toe, camber=camber).spin
                    found[f"{at}/{side}/camber_gravity_deg"] = -math.degrees(math.asin(spin @ self.gravity))
                if wheel.caster is not None:
                    x, y, up = datum.apply(wheel.steering)
                    found[f"{at}/{side}/caster_deg"] = -math.degrees(math.atan2(x, up))
                    found[f"{at}/{side}/sai_deg"] = -math.degrees(math.atan2(sign * y, up))
            apart = datum.apply(wheels[axle, "left"].centre - wheels[axle, "right"].centre)
            found |= {f"{at}/total_toe_deg": toes["left"] + toes["right"], f"{at}/bearing_deg": (toes["left"] - toes["right"]) / 2,
                      f"{at}/setback_mm": float(apart[0]), f"{at}/track_mm": float(apart[1]),
                      f"{at}/cross_camber_deg": found[f"{at}/left/camber_deg"] - found[f"{at}/right/camber_deg"]}  # fmt: skip
            if axle > 1:
                found[f"{at}/position_mm"] = float(datum.apply(middles[axles[0]] - middles[axle])[0])
        return found | {"thrust_angle_deg": found[f"axles/{axles[-1]}/bearing_deg"]}


def stand(
    kit: RigKit, seed: int, *, of: Wheels = CAR, axles: int = 2, standing: Standing = STAND, rolls: Sequence[float] = (0, -9, -18, -26, -34), sweeps: Sequence[float] = (-10, -5, 5, 10),
    stills: Sequence[Mapping[Wheel, tuple[float, float]]] = (), errs: bool = True, settle: float = 1.0, uneven_deg: float = 0.0,
) -> Scenario:  # fmt: skip
    """Two cameras ahead of a vehicle of so many axles, by default on a stand before a car: each looks along one side. ``rolls`` and ``sweeps`` in degrees, ``errs`` plants
    errors of the certificate. The ground leans by ``uneven_deg`` each way (a standard deviation), and the rig's level says how.
    """
    rng = np.random.default_rng(seed)
    wheels = tuple(_wheel(of, axle, side, rng) for axle in range(1, axles + 1) for side in SIDES)
    scenario, rig = _stand(kit, wheels, rng, seed, standing, errs=errs)
    moments = tuple(_moments(of, scenario.wheels, rolls, sweeps, stills, rng, settle))
    scenario = replace(scenario, moments=moments)
    if not uneven_deg:
        return scenario
    gravity = Rotation.from_rotvec([*np.radians(rng.normal(0, uneven_deg, 2)), 0.0]).apply([0.0, 0.0, 1.0])
    misread = Rotation.from_rotvec([*np.radians(rng.normal(0, kit.u_up_deg, 2)) * errs, 0.0])
    return replace(scenario, gravity=gravity, plumb=np.asarray(rig.inv().apply(misread.apply(gravity))))


def rig_before(kit: RigKit, wheels: Sequence[RollingWheel], seed: int, standing: Standing = STAND) -> Scenario:
    """A rig ahead of wheels that are given, axle 1 at the frame's origin; no shots yet."""
    return _stand(kit, tuple(wheels), np.random.default_rng(seed), seed, standing, errs=True)[0]


def _stand(
    kit: RigKit, wheels: tuple[RollingWheel, ...], rng: np.random.Generator, seed: int, standing: Standing = STAND, *, errs: bool
) -> tuple[Scenario, Rotation]:  # fmt: skip
    """The rig, its cameras as they really are and as the certificate has them, before ``wheels``; and how it stands."""
    rig = Rotation.from_euler("xyz", [*rng.normal(0, 0.3, 2), rng.normal(0, 1.0)], degrees=True)
    place = np.array([standing.ahead, rng.normal(0, 40), standing.high])
    eyes, certificates = {}, []
    for name, side in zip("AB", SIDES, strict=True):
        sign = side_sign(side)
        looks = Rotation.from_euler("yz", [-standing.down, -sign * standing.out], degrees=True)
        said = REARWARD @ looks.inv().as_matrix()
        at = np.array([0.0, sign * standing.aside, 0.0])
        certificates.append(
            {"id": name, "size": list(kit.size), "focal_px": [kit.focal_px] * 2, "principal_px": [kit.size[0] / 2 - 0.5, kit.size[1] / 2 - 0.5],
             "distortion": list(kit.distortion), "position_mm": at.tolist(), "rotation": said.tolist(),
             "u_rotation_deg": kit.u_rotation_deg, "u_position_mm": kit.u_position_mm, "u_focal": kit.u_focal}
        )  # fmt: skip
        errors = [
            rng.normal(0, u, n) * errs
            for u, n in ((math.radians(kit.u_rotation_deg), 3), (kit.u_position_mm, 3), (kit.u_focal, 1))
        ]
        turned = said @ Rotation.from_rotvec(errors[0]).inv().as_matrix()
        focal = kit.focal_px * (1 + float(errors[2][0]))
        eyes[name] = Eye(
            kit.size, (focal, focal), (kit.size[0] / 2 - 0.5, kit.size[1] / 2 - 0.5), kit.distortion,
            place + rig.apply(at + errors[1]), np.asarray(turned @ rig.inv().as_matrix()),
        )  # fmt: skip
    wheels = tuple(replace(wheel, out_mm=wheel.out_mm + float(rng.normal(0, kit.u_out_mm)) * errs) for wheel in wheels)
    level = Rotation.from_rotvec([*np.radians(rng.normal(0, kit.u_up_deg, 2)) * errs, 0.0])
    up = rig.inv().apply(level.apply([0.0, 0.0, 1.0]))
    return Scenario(kit, wheels, eyes, certificates, np.asarray(up), (), seed=seed, standing=standing), rig


def _wheel(of: Wheels, axle: int, side: str, rng: np.random.Generator) -> RollingWheel:
    sign = side_sign(side)
    steers = axle in of.steered
    radius = float(rng.normal(of.radius, 2))
    # A rolling radius is the height of the centre to about a hundredth, each tyre's own.
    height = radius * (1 + float(rng.normal(0, HEIGHT_SHARE)))
    centre = np.array(
        [
            -of.places[axle - 1] - (axle - 1) * float(rng.normal(0, 20)) + rng.normal(0, 2),
            sign * (rng.normal(of.half_track, 5)),
            height,
        ]
    )
    askew = (float(rng.normal(0, 2)), float(rng.normal(-sign * 62, 3)), float(rng.normal(0, 4)))
    return RollingWheel(
        axle, side, centre, float(rng.normal(0.1, 0.3)), float(rng.normal(-0.8, 0.6)), radius, 170.0,
        (float(rng.normal(0, 12)), float(rng.normal(0, 12))), askew,
        float(rng.normal(4, 1.5)) if steers else None, float(rng.normal(12, 1.5)) if steers else None,
    )  # fmt: skip


def _moments(
    of: Wheels, wheels: Sequence[RollingWheel], rolls: Sequence[float], sweeps: Sequence[float],
    stills: Sequence[Mapping[Wheel, tuple[float, float]]], rng: np.random.Generator, settle: float,
) -> Iterator[Moment]:  # fmt: skip
    """The vehicle is pushed back and forward, a little askew; in the sweep it shifts by parts of a millimetre."""
    slant, bend = math.radians(rng.normal(0, 0.3)), rng.normal(0, 0.05)
    for degrees in rolls:
        way = math.radians(degrees) * of.radius
        yield Moment("roll", way, way * slant, degrees / 34 * bend)
    held = Moment("roll", math.radians(rolls[-1]) * of.radius, 0.0, 0.0)
    for degrees in sweeps:
        steered = {
            (wheel.axle, wheel.side): degrees + float(rng.normal(0, 0.3))
            for wheel in wheels
            if wheel.caster is not None
        }
        shift = rng.normal(0, settle, 2)
        yield Moment(
            "sweep", held.ahead + float(shift[0]), float(shift[1]), float(rng.normal(0, 0.02)) * settle,
            rolled=dict.fromkeys(((wheel.axle, wheel.side) for wheel in wheels), float(rolls[-1])), steered=steered,
        )  # fmt: skip
    for adjusted in stills:
        yield Moment("still", held.ahead, 0.0, 0.0, adjusted=adjusted)


_OUTLINE = 48
"""Points about a dot: its middle is then right to a thousandth of a hundredth of its width."""


def _middles(outlines: Array) -> Array:
    """Middles (n, 2) of the areas within outlines (n, k, 2): the formula of triangles about a point (Green's theorem)."""
    start = outlines.mean(axis=1, keepdims=True)
    here = outlines - start
    after = np.roll(here, -1, axis=1)
    twice = here[:, :, 0] * after[:, :, 1] - here[:, :, 1] * after[:, :, 0]
    return np.asarray(start[:, 0] + ((here + after) * twice[:, :, None]).sum(axis=1) / (3 * twice.sum(axis=1))[:, None])
