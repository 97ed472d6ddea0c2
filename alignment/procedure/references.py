"""What the front is set to, and what comes of it: the centre line, the thrust line, or all wheels.

The front's bearing is put on the line; what the rear then does, how the body runs and where the steering wheel sits
follow by geometry.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from alignment.judge.derived import heading
from alignment.judge.results import PhaseResults
from alignment.model.state import DEG
from alignment.model.vehicle import Vehicle
from alignment.procedure.schools import REFERENCES
from alignment.quantities import say_angle
from alignment.speech import say_length


@dataclass(frozen=True)
class Consequence:
    """What a vehicle does on the road once its front is set to a reference, degrees to the right and mm to the right.

    ``front_deg`` is where the front points, ``rear_deg`` where the rear pushes, both against the centre line.
    ``tail_out_mm`` is how far the rear runs beside the track of the front; ``wheel_deg`` how far the steering wheel turns
    from straight, None where the steering ratio is not known.
    """

    code: str
    title: str
    text: str
    front_deg: float
    rear_deg: float
    tail_out_mm: float
    wheel_deg: float | None
    possible: bool

    def say(self, style: str = "deg") -> str:
        """The consequence as a sentence."""
        wheel = _wheel(self.front_deg - self.rear_deg, self.wheel_deg, style)
        size = abs(self.tail_out_mm)
        if size < _NOT_WORTH_MM:
            return f"The body runs straight. {wheel}"
        side = "right" if self.tail_out_mm > 0 else "left"
        return f"The tail runs {say_length(size, 0)} to the {side} of the front. {wheel}"


_NOT_WORTH_MM = 1.0
_STRAIGHT_DEG = 0.005
_SEEN_DEG = 0.5
"""Less than this, at the road wheels and at the steering wheel, is shown as nothing."""


def _wheel(front_ahead_deg: float, wheel_deg: float | None, style: str) -> str:
    if abs(front_ahead_deg) < _STRAIGHT_DEG:
        return "The steering wheel sits straight."
    # Driven straight, the front must follow the rear: it is steered from where it points to where the rear pushes.
    side = "left" if front_ahead_deg > 0 else "right"
    if wheel_deg is None:
        return f"The front must be steered {say_angle(abs(front_ahead_deg), style)} to the {side}, so the wheel sits to the {side}."
    if abs(wheel_deg) < _SEEN_DEG:
        return "The steering wheel sits straight."
    return f"The steering wheel sits about {abs(wheel_deg):.0f}° to the {side}."


def consequences(results: PhaseResults, adjustable: set[int], ratio: float | None = None) -> list[Consequence]:
    """The three references with what comes of each; empty where it is not known where the vehicle runs, or nothing steers.

    ``adjustable`` are the axles on which something adjusts; ``all`` is possible only where the thrust axle is one.
    """
    vehicle = results.solution.layout.vehicle
    runs = heading(results) if vehicle.thrust_axle is not None else None
    if runs is None or vehicle.first_steered is None:
        return []
    thrust = runs.value
    ends = {"centre": (0.0, thrust), "thrust": (thrust, thrust), "all": (0.0, 0.0)}
    return [
        Consequence(
            code, *REFERENCES[code], front, rear, _tail_out(vehicle, rear), _turned(front - rear, ratio),
            possible=code != "all" or vehicle.thrust_axle in adjustable,
        )
        for code, (front, rear) in ends.items()
    ]  # fmt: skip


def _turned(front_ahead_deg: float, ratio: float | None) -> float | None:
    return None if ratio is None else -front_ahead_deg * ratio


def _tail_out(vehicle: Vehicle, rear_deg: float) -> float:
    """How far the thrust axle runs beside the first steer axle's track when it pushes ``rear_deg`` to the right, mm.

    The vehicle travels along the thrust line, so its body points to the left of its way by as much, and the tail
    hangs out to the right.
    """
    assert vehicle.thrust_axle is not None  # noqa: S101 - asked for only where there is one
    assert vehicle.first_steered is not None  # noqa: S101 - likewise
    base = vehicle.axle(vehicle.thrust_axle).position_mm - vehicle.first_steered.position_mm
    return base * math.sin(rear_deg / DEG)
