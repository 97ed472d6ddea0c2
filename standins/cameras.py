"""Two cameras on a stand before a made-up vehicle with a target on each wheel: they take pictures when asked."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

import cv2
import numpy as np
from scipy.spatial.transform import Rotation

from alignment.live.measures import Measured
from alignment.model.vehicle import SIDES, side_sign
from alignment.simulate.pictures import Conditions, Eye, Pose
from alignment.simulate.rigs import OF_POSTS, POSTS, SMALL, STAND, RigKit, Scenario, Standing, rig_before
from alignment.simulate.rolling import Moment, RollingWheel, Wheel
from standins.yard import Yard

_OUT_MM = 170.0


class Scene(NamedTuple):
    """A rig of cameras, the radius of the wheels that it usually sees, and how far ahead both cameras see a target that is held,
    mm. Invented.
    """

    kit: RigKit
    standing: Standing
    radius: float
    both: tuple[float, float]


SCENES = {
    "target_cameras": Scene(SMALL, STAND, 318.0, (4700.0, 5900.0)),
    "target_cameras_posts": Scene(OF_POSTS, POSTS, 500.0, (8500.0, 11500.0)),
}
"""By kit."""
_PLATES_DEG = 62.0
"""How far a plate is turned towards the cameras, which stand ahead. Invented."""
_EACH, _BOTH = 14, 10
"""In so many places a target is held before one camera, and where both see it."""
_KNOCK = Rotation.from_euler("z", 0.3, degrees=True), np.array([9.0, 14.0, 0.0])
"""By how much a knock turns the stand and pushes it, mm. Invented."""


def _knocked(eye: Eye) -> Eye:
    """A camera of the stand after a knock, both cameras alike."""
    turn, push = _KNOCK
    return replace(eye, position=turn.apply(eye.position) + push, rotation=eye.rotation @ turn.inv().as_matrix())


@dataclass
class CameraYard(Yard):
    """The vehicle, seen by cameras. ``covered`` targets are hidden; ``knocked`` once somebody ran into the stand; ``held`` counts the
    places in which a target is held before the cameras, to calibrate them: at none the vehicle is seen.
    """

    covered: set[Wheel] = field(default_factory=set)
    knocked: bool = False
    held: int = 0

    def __post_init__(self) -> None:
        super().__post_init__()
        self._taken = 0
        kit, standing, self.radius, self._both = SCENES[self.kit_code]
        self.scene: Scenario = rig_before(kit, [self._wheel(*at) for at in self.wheels], self.seed, standing)

    @property
    def wheels(self) -> list[Wheel]:
        """All of them."""
        return [(axle.number, side) for axle in self.vehicle.axles for side in SIDES]

    def measured(self) -> Iterator[Measured]:
        """Pictures tell, not single numbers."""
        return iter(())

    def rig(self) -> dict[str, Any]:
        """What the device says of its cameras and targets."""
        document = self.scene.document()
        return {key: document[key] for key in ("cameras", "targets", "up", "u_up_deg")}

    def take(self) -> Iterator[tuple[str, bytes]]:
        """A picture of each camera, as PNG."""
        self._taken += 1
        if self.held:
            yield from self._held()
            return
        stands = {at: self._angles(*at) for at in self.wheels}
        steered = {at: self.steered_deg for at in self.wheels if self.vehicle.axle(at[0]).steers}
        moment = Moment("still", math.radians(self.rolled_deg) * self.radius, steered=steered, adjusted=stands)
        eyes = {name: _knocked(eye) if self.knocked else eye for name, eye in self.scene.eyes.items()}
        now = replace(self.scene, moments=(moment,), eyes=eyes, seed=self.seed + self._taken)
        plates = now.plates()
        for _, name, picture in now.pictures({at: plates[at] for at in plates if at not in self.covered}):
            yield name, cv2.imencode(".png", picture)[1].tobytes()

    def _held(self) -> Iterator[tuple[str, bytes]]:
        """A target that somebody holds: before one camera, before the other, then farther off where both see it."""
        chance = np.random.default_rng([self.seed, self.held])
        noisy = np.random.default_rng([self.seed, self.held, self._taken])
        eyes, kit = self.scene.eyes, self.scene.kit
        where = (self.held - 1) % (2 * _EACH + _BOTH) // _EACH
        mine = list(eyes.values())[min(where, 1)]
        half = np.array(kit.size) / 2 / kit.focal_px
        if where < len(eyes):
            far = chance.uniform(1500, 2600)
            place = mine.rotation.T @ (np.array([*(chance.uniform(-0.55, 0.55, 2) * half), 1.0]) * far) + mine.position
        else:
            ahead = sum(eye.rotation[2] for eye in eyes.values()) / len(eyes)
            place = sum(eye.position for eye in eyes.values()) / len(eyes) + ahead * chance.uniform(*self._both)
        tilts = chance.uniform(-40, 40, 3) * (1.0, 1.0, 0.4)
        turn = mine.rotation.T @ Rotation.from_euler("xyz", tilts, degrees=True).as_matrix()
        plate, how = replace(kit.plate, first_marker=0), Conditions(noise=kit.noise, blur=kit.blur)
        for name, eye in eyes.items():
            yield name, cv2.imencode(".png", eye.take([(plate, Pose(turn, place))], how, noisy))[1].tobytes()

    def _angles(self, axle: int, side: str) -> tuple[float, float]:
        """Toe and camber of a wheel now."""
        at, sign = f"axles/{axle}", side_sign(side)
        toe = self.truth.get(f"{at}/total_toe_deg", 0.0) / 2 + sign * self.truth.get(f"{at}/bearing_deg", 0.0)
        return toe, self.truth.get(f"{at}/{side}/camber_deg", 0.0)

    def _wheel(self, axle: int, side: str) -> RollingWheel:
        at, sign, own = f"axles/{axle}", side_sign(side), self.vehicle.axle(axle)
        chance = np.random.default_rng([self.seed, axle, int(sign > 0)])
        x = -own.position_mm + sign * self.truth.get(f"{at}/setback_mm", 0.0) / 2
        y = sign * own.track_mm / 2 - self.truth.get(f"{at}/offset_mm", 0.0)
        askew = (float(chance.normal(0, 2)), float(chance.normal(-sign * _PLATES_DEG, 3)), float(chance.normal(0, 4)))
        off = (float(chance.normal(0, 12)), float(chance.normal(0, 12)))
        caster, sai = (self.truth.get(f"{at}/{side}/{name}_deg") if own.steers else None for name in ("caster", "sai"))
        return RollingWheel(axle, side, np.array([x, y, self.radius]), *self._angles(axle, side), self.radius, _OUT_MM, off,
                            askew, caster, sai)  # fmt: skip
