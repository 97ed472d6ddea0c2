"""The plumb line as a rig's level gives it: where straight up points in the rig's frame, whose z is square to the ground."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from random import Random
from typing import Any

from alignment.model import gravity
from alignment.model.formula import Formula, Input, Term
from alignment.model.rigid import dot, up_moves, up_on
from alignment.model.state import DEG, Ground, Layout
from alignment.model.vehicle import Vehicle
from alignment.readings.base import Field, Observed
from alignment.readings.camera import RIG, SeenByRig


class Plumb(SeenByRig):
    """Straight up, against gravity, in the frame of a rig or the datum's. It tells the tilt of the ground, which is then an
    unknown of the phase: two rows, by how much up leans forward and to the left in that frame, degrees. ``u_leftward_deg`` is
    the uncertainty of the second, ``u_deg`` where it is absent.
    """

    KIND = "plumb"
    TITLE = "plumb line"
    UNIT = "deg"
    ON_AXLE = False
    SHOWN = False
    ROWS = ("forward", "leftward")
    FIELDS = (RIG, Field("up", "vector", measured=True, above_zero=True))

    @classmethod
    def u_keys(cls, data: Mapping[str, Any]) -> tuple[str, ...]:  # noqa: ARG003 - it always reads both
        return "u_deg", "u_leftward_deg"

    @classmethod
    def resting(cls, vehicle: Vehicle, axle: int, side: str) -> dict[str, Any]:  # noqa: ARG003 - the ground is level
        return {"up": [0.0, 0.0, 1.0]}

    def worked_in(self) -> tuple[object, ...]:
        return ()

    def declare(self, layout: Layout) -> None:
        layout.tilt()
        if self.rig is not None:
            layout.rig(self.rig)

    def observed(self) -> tuple[Observed, ...]:
        up = self._scaled("up")
        length = math.sqrt(dot(up, up))
        leans = (DEG * math.asin(part / length) for part in up[:2])
        u = self.u_deg, float(self.data.get("u_leftward_deg", self.u_deg))
        return tuple(Observed(lean, size) for lean, size in zip(leans, u, strict=True))

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - it tells the ground
        takes = [*gravity.tilt_inputs(layout)]
        if self.rig is not None:
            takes.append(Input(((1.0, layout.rig(self.rig)[2]),)))
        return tuple(Formula().own(_leans(way), *takes) for way in ((1.0, 0.0), (0.0, 1.0)))

    def blurred(self, name: str, value: Any, rng: Random) -> Any:  # noqa: ARG002 - the direction is all that it reads
        return self.showing([one.value + rng.gauss(0.0, one.u) for one in self.observed()])[name]

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        forward, leftward = (math.sin(lean / DEG) for lean in predicted)
        return {"up": [forward, leftward, math.sqrt(max(1.0 - forward**2 - leftward**2, 0.0))]}

    def title(self) -> str:
        return self.TITLE if self.rig is None else f"{self.TITLE} of the rig {self.rig}"


def _leans(way: tuple[float, float]) -> Term:
    """By how many degrees straight up leans along ``way``, a level direction of the frame, which is turned anticlockwise by a
    heading where there is one.
    """

    def term(at: tuple[float, ...]) -> tuple[float, Sequence[float]]:
        roll, pitch = at[0], at[1]
        cos, sin = (math.cos(at[2]), math.sin(at[2])) if at[2:] else (1.0, 0.0)
        along = (cos * way[0] - sin * way[1], sin * way[0] + cos * way[1], 0.0)
        height = dot(along, up_on(roll, pitch))
        slope = DEG / math.sqrt(max(1.0 - height * height, _FLATTEST))
        slopes = [slope * dot(along, by) for by in up_moves(roll, pitch)]
        if at[2:]:
            slopes.append(slope * dot((-along[1], along[0], 0.0), up_on(roll, pitch)))
        return DEG * math.asin(max(-1.0, min(1.0, height))), slopes

    return term


_FLATTEST = 1e-12
"""A plumb line that lies flat has no slope; the floor keeps it finite."""
