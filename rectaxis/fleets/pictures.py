"""Pictures of axle patterns, to choose a layout by: seen from above, nose to the left, as plain data for a template."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from alignment.patterns import Pattern, patterns

WIDTH, HEIGHT = 150, 54
_FRONT, _REAR = 22.0, 138.0
_LONGEST_MM = 9500.0


@dataclass(frozen=True)
class AxlePicture:
    x: float
    steers: bool
    twins: bool
    lift: bool


@dataclass(frozen=True)
class PatternPicture:
    """One pattern: its axles on a strip, its coupling, and its title."""

    code: str
    title: str
    axles: tuple[AxlePicture, ...]
    tail: float
    pin: float | None
    width: int = WIDTH
    height: int = HEIGHT


def _picture(one: Pattern) -> PatternPicture:
    vehicle = one.vehicle
    first = vehicle.kingpin_mm or 0.0
    per_mm = (_REAR - _FRONT) / _LONGEST_MM

    def x(at: float) -> float:
        return round(_FRONT + (at - first) * per_mm, 1)

    axles = tuple(
        AxlePicture(x(axle.position_mm), axle.steers, axle.number in one.duals, axle.role == "lift")
        for axle in vehicle.axles
    )
    pin = None if vehicle.kingpin_mm is None else x(vehicle.kingpin_mm)
    return PatternPicture(one.code, one.title, axles, axles[-1].x + 10, pin)


@cache
def pattern_pictures() -> tuple[PatternPicture, ...]:
    """Every pattern's picture."""
    return tuple(_picture(one) for one in patterns().values())
