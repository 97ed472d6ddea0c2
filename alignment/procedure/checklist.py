"""The questions of a job that are not readings: arrival, what makes a vehicle fit to measure, settling, the road test."""

from __future__ import annotations

from dataclasses import dataclass

from alignment.quantities import parse_typed
from alignment.vehicle import SIDES, Vehicle, axle_name


@dataclass(frozen=True)
class Question:
    """One question. ``what`` is ``number``, ``choice`` or ``text``; a number lies within ``least`` and ``most``."""

    slot: str
    label: str
    what: str
    unit: str = ""
    least: float = 0.0
    most: float = 0.0
    choices: tuple[str, ...] = ()
    needed: bool = True
    group: str = ""

    def read(self, typed: str) -> tuple[float | None, str]:
        """The answer's number (None for words) and how it was understood.

        **Raises** ValueError that says what was expected.
        """
        if self.what == "choice":
            if typed not in self.choices:
                raise ValueError(f"Choose one of: {', '.join(self.choices)}.")
            return None, typed
        if self.what == "text":
            return None, typed
        value = parse_typed(typed, "plain").value
        if not self.least <= value <= self.most:
            raise ValueError(f"Expected {self.least:g} to {self.most:g} {self.unit}, got {value:g}.")
        return value, f"{value:g} {self.unit}"


_STATES = ("sound", "worn", "could not check")
_COMPONENTS = (
    ("ball-joints", "Ball joints and rod ends, for play"),
    ("bushes", "Bushes, for play and tears"),
    ("bearings", "Wheel bearings, for end float"),
    ("springs", "Springs and dampers, for cracks, sag and leaks"),
)
REASONS = ("routine", "pulls to the left", "pulls to the right", "wears a tyre", "steering wheel off centre",
           "after a repair")  # fmt: skip


def _arrive() -> tuple[Question, ...]:
    return (
        Question("arrive/odometer", "Odometer", "number", "km", 0, 3_000_000),
        Question("arrive/reason", "Why it came", "choice", choices=REASONS),
        Question("arrive/asked-by", "Who asked", "text", needed=False),
        Question("arrive/noted", "Damage already there, and what else is heard or felt", "text", needed=False),
    )


def _look(vehicle: Vehicle) -> tuple[Question, ...]:
    found = []
    for axle in vehicle.axles:
        for side in SIDES:
            at = f"look/tyre/{axle.number}/{side}"
            name = f"{side} {axle_name(vehicle, axle.number)}"
            found.append(Question(f"{at}/pressure", f"{name} pressure", "number", "bar", 0.2, 12, group="pressure"))
            found += [
                Question(f"{at}/tread-{place}", f"{name} tread, {place}", "number", "mm", 0, 30, group="tread")
                for place in ("outer", "middle", "inner")
            ]
    found += [
        Question(f"look/{code}", label, "choice", choices=_STATES, group="component") for code, label in _COMPONENTS
    ]
    return tuple(found)


_REST: dict[str, tuple[Question, ...]] = {
    "rig": (
        Question("rig/self-check", "Heads on the bar shine back into their own hole", "choice",
                 choices=("yes", "no", "not checked")),
        Question("rig/straps", "Safety straps are on", "choice", choices=("yes", "no")),
    ),
    "roll": (
        Question("roll/settled", "Lowered, bounced at each end and rolled", "choice", choices=("yes", "no")),
        Question("roll/locked", "Steering wheel straight and locked", "choice",
                 choices=("by a level across the spokes", "by eye", "no")),
    ),
    "prove": (
        Question("prove/road-test", "Road test", "choice",
                 choices=("runs straight, wheel straight", "drifts left", "drifts right", "not driven")),
        Question("prove/torque", "Lock nuts tightened to the maker's torque", "choice", choices=("yes", "no")),
        Question("prove/sensors", "Steering angle sensor and driver assistance", "choice",
                 choices=("nothing to reset", "reset done", "needs the maker's procedure")),
    ),
    "hand-over": (
        Question("hand-over/left", "What was left, and why", "text", needed=False),
        Question("hand-over/next", "What to watch, and when to come back", "text", needed=False),
    ),
}  # fmt: skip


def questions(vehicle: Vehicle) -> dict[str, tuple[Question, ...]]:
    """All questions of a job, by stage."""
    return {"arrive": _arrive(), "look": _look(vehicle), **_REST}
