"""The schools: where practitioners differ, and what is taken when nobody chooses. All of it common practice, no source."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from alignment.model.vehicle import Axle, Datum, Vehicle, the_axle


@dataclass(frozen=True)
class School:
    """An order in which axles are set: its code, its name in words, and why one would choose it."""

    code: str
    title: str
    reason: str
    order: Callable[[Vehicle], list[int]]


def _steered(vehicle: Vehicle) -> list[int]:
    return [axle.number for axle in vehicle.axles if axle.steers]


def _fixed(vehicle: Vehicle, *, which: Callable[[Axle], bool] = lambda _: True) -> list[int]:
    return [axle.number for axle in vehicle.axles if not axle.steers and which(axle)]


def _thrust_first(vehicle: Vehicle) -> list[int]:
    thrust = [vehicle.thrust_axle] if vehicle.thrust_axle is not None else []
    rest = [number for number in reversed(_fixed(vehicle)) if number not in thrust]
    return _merged(thrust, [number for number in _steered(vehicle) if number not in thrust], rest)


def _merged(*parts: Iterable[int]) -> list[int]:
    return list(dict.fromkeys(number for part in parts for number in part))


SCHOOLS: dict[str, School] = {
    school.code: school
    for school in (
        School("rear-first", "the rear first, then the front",
               "The front is measured against the rear, so a rear that moves later moves the front's readings.",
               lambda vehicle: _merged(_fixed(vehicle), _steered(vehicle))),
        School("thrust-axle-first", "the forward drive axle, then the steer axles, then the rearmost",
               "Everything is set to where the forward drive axle pushes; the others are brought into line with it.",
               _thrust_first),
        School("rearmost-first", "the rearmost and forward",
               "Working forward, each axle is set once and not walked past again.",
               lambda vehicle: _merged(reversed(_fixed(vehicle)), reversed(_steered(vehicle)))),
        School("square-to-frame", "dead and lift axles, then the drive axles, each square to the frame, then the steer axles",
               "With the frame as the line no axle waits for another, and the easiest are done first.",
               lambda vehicle: _merged(_fixed(vehicle, which=lambda axle: axle.role != "drive"), _fixed(vehicle),
                                       _steered(vehicle))),
        School("steer-first", "the steer axle first, then the rears matched to it",
               "Where the steer axle cannot be moved to suit, the rears are brought to follow it.",
               lambda vehicle: _merged(_steered(vehicle), _fixed(vehicle))),
    )
}  # fmt: skip
_CAR_AXLES = 2

REFERENCES: dict[str, tuple[str, str]] = {
    "centre": ("To the centre line", "Fair only where the rear is straight."),
    "thrust": (
        "To the thrust line",
        "Where the rear actually pushes: for rears that cannot be adjusted. The wheel ends straight, the body may run crabwise.",
    ),
    "all": ("All wheels", "The rear to the centre line first, then the front. Best where the rear can be adjusted."),
}  # fmt: skip
"""What the front wheels can be set to, in words, with when to choose it."""


def default_school(vehicle: Vehicle, datum: Datum) -> School:
    """The usual order: the rear first on two axles; the thrust axle first, or by the frame where that is the line."""
    if len(vehicle.axles) <= _CAR_AXLES:
        return SCHOOLS["rear-first"]
    if datum.kind in ("frame", "kingpin"):
        return SCHOOLS["square-to-frame"]
    return SCHOOLS["thrust-axle-first"]


def default_reference(vehicle: Vehicle, adjustable: Iterable[int]) -> str:
    """What to set the front to: all wheels where the thrust axle is among the ``adjustable`` axles, else the thrust line.

    Without a thrust axle the centre line is all there is.
    """
    if vehicle.thrust_axle is None:
        return "centre"
    return "all" if vehicle.thrust_axle in set(adjustable) else "thrust"


def say_order(vehicle: Vehicle, school: School) -> str:
    """The order on a vehicle as a sentence with its reason: "First the rear, then the front. The front is ..."."""
    names = [the_axle(vehicle, number) for number in school.order(vehicle)]
    rest = "".join(f", then {name}" for name in names[1:])
    return f"First {names[0]}{rest}. {school.reason}"
