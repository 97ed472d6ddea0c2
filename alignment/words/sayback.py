"""What the numbers mean, in two or three plain sentences, never more sure than the uncertainty allows."""

from __future__ import annotations

import re
from collections.abc import Iterable

from alignment.estimate.solve import Estimate
from alignment.judge.derived import ahead_of_heading, heading, rear_steer, steering_wheel
from alignment.judge.results import PhaseResults
from alignment.judge.verdict import COVERAGE
from alignment.model.vehicle import Vehicle, axle_name, the_axle
from alignment.quantities import say, say_angle, say_size
from alignment.speech import say_length

_NOTICEABLE_WHEEL_DEG = 1.0
"""Below this a steering wheel counts as straight; common practice, no source."""


_TOLD = ("ground", "clamp", "plumb")
"""Kinds of readings that say how others are to be taken, and nothing of the vehicle."""


def say_back(results: PhaseResults, style: str = "deg", steering_ratio: float | None = None) -> list[str]:
    """Sentences on thrust, steering, each axle's toe and what disagrees, in the person's angle style.

    ``steering_ratio`` is how far the steering wheel turns for one degree at the road wheels; without it only the side is
    said to which the steering wheel will sit.
    """
    vehicle = results.solution.layout.vehicle
    sentences = [*_thrust(results, style), *_steering(results, style, steering_ratio)]
    sentences += _between_axles(results, style)
    for axle in vehicle.axles:
        sentences += _toe(results, axle.number, style)
    sentences += _agreement(results)
    return sentences or ["Nothing is read yet that says how the vehicle runs."]


def _told(estimate: Estimate) -> bool:
    return abs(estimate.value) > COVERAGE * estimate.u


def say_line(quantity: str, estimate: Estimate, style: str = "deg") -> str:
    """Which way a line runs, beside it on a drawing: "0.14° right", or "straight within 0.04°" where the sentences say no more."""
    if _told(estimate):
        return say(quantity, estimate.value, style)
    size = say_size(quantity, COVERAGE * estimate.u, style)
    return f"straight within {size}" if re.search(r"[1-9]", size) else "straight"


def _give_or_take(estimate: Estimate, quantity: str, style: str) -> str:
    size = say_size(quantity, COVERAGE * estimate.u, style)
    if re.search(r"[1-9]", size):
        return f"give or take {size}"
    return f"give or take less than {_LEAST_MINUTE if style == 'dms' else _LEAST_DEG}"


_LEAST_DEG, _LEAST_MINUTE = "0.01°", "0°01'"
"""The least angle that is said, in degrees and in minutes."""


def _thrust(results: PhaseResults, style: str) -> Iterable[str]:
    vehicle = results.solution.layout.vehicle
    thrust = heading(results)
    if thrust is None:
        return
    axles = vehicle.group or (vehicle.thrust_axle or len(vehicle.axles),)
    drives = any(vehicle.axle(axle).role == "drive" for axle in axles)
    names = _axles(vehicle, axles)
    verb = ("push" if drives else "run") if len(axles) > 1 else ("pushes" if drives else "runs")
    margin = _give_or_take(thrust, "thrust_angle_deg", style)
    if _told(thrust):
        side = "right" if thrust.value > 0 else "left"
        size = say_size("thrust_angle_deg", thrust.value, style)
        yield f"{names} {verb} {size} to the {side}, {margin}{_over_the_flags(results)}."
    else:
        yield f"{names} {verb} straight as far as these readings can tell, {margin}."


def _over_the_flags(results: PhaseResults) -> str:
    """The thrust of a vehicle without a group as it shows on flags along the frame."""
    steer = None if results.solution.layout.vehicle.group else rear_steer(results)
    if steer is None:
        return ""
    return f": {say_length(steer.moved.value)} over the {say_length(steer.over_mm, 0)} between near and far"


def _axles(vehicle: Vehicle, axles: tuple[int, ...]) -> str:
    """Axles at the head of a sentence: "The rear", "Axles 2 and 3 together"."""
    if len(axles) == 1:
        name = the_axle(vehicle, axles[0])
        return name[0].upper() + name[1:]
    listed = ", ".join(map(str, axles[:-1]))
    return f"Axles {listed} and {axles[-1]} together"


def _steering(results: PhaseResults, style: str, ratio: float | None) -> Iterable[str]:
    ahead = ahead_of_heading(results)
    if ahead is None or results.solution.layout.vehicle.kingpin_mm is not None:
        return
    margin = _give_or_take(ahead, "steer_ahead_deg", style)
    if not _told(ahead):
        yield (
            "With the steering wheel straight the front wheels follow the rear as far as these readings and the holding of the "
            f"wheel can tell, {margin}."
        )
        return
    side, off = ("right", "left") if ahead.value > 0 else ("left", "right")
    points = say_size("steer_ahead_deg", ahead.value, style)
    start = f"With the steering wheel straight the front points {points} to the {side} of where the rear runs, {margin}"
    wheel = steering_wheel(results, ratio) if ratio is not None else None
    if wheel is None:
        yield f"{start}, so on the road the steering wheel will sit to the {off}."
    elif abs(wheel.value) < _NOTICEABLE_WHEEL_DEG:
        yield f"{start}: too little to be seen at the steering wheel."
    else:
        yield f"{start}, so on the road the steering wheel will sit about {abs(wheel.value):.0f}° to the {off}."


_APART = {
    "scrub_deg": {
        "inside": "are within what is allowed of each other",
        "outside": "fight each other and wear their tyres",
        "undecided": "may stand further apart than is allowed, which is too close to say",
        "": "do not point the same way",
    },
    "parallelism_deg": {
        "inside": "steer alike within what is allowed",
        "outside": "do not steer alike",
        "undecided": "may not steer alike, which is too close to say",
        "": "do not steer alike to the hundredth",
    },
}
"""What is said of two axles that are known to point apart, by the verdict on that; empty where nothing judges it."""
_TOGETHER = {"scrub_deg": "run along together", "parallelism_deg": "steer alike"}


def _between_axles(results: PhaseResults, style: str) -> Iterable[str]:
    """How neighbouring axles stand to each other, where the readings can tell."""
    vehicle = results.solution.layout.vehicle
    # On two axles that both steer, where the rear runs has been said already.
    steered = vehicle.steered_pairs if len(vehicle.axles) > 2 else ()  # noqa: PLR2004 - front and rear
    for quantity, pairs in (("scrub_deg", vehicle.fixed_pairs), ("parallelism_deg", steered)):
        for front, rear in pairs:
            path = f"{quantity}/{front}-{rear}"
            estimate = results.estimates.get(path)
            if estimate is None:
                continue
            names, margin = f"Axles {front} and {rear}", _give_or_take(estimate, quantity, style)
            if not _told(estimate):
                yield f"{names} {_TOGETHER[quantity]} as far as these readings can tell, {margin}."
                continue
            side = "right" if estimate.value > 0 else "left"
            apart = say_size(quantity, estimate.value, style)
            said = _APART[quantity][results.judged.get(path, "")]
            yield f"{names} {said}: axle {rear} points {apart} further to the {side}, {margin}."


def _toe(results: PhaseResults, axle: int, style: str) -> Iterable[str]:
    path = f"axles/{axle}/total_toe_deg"
    estimate = results.estimates.get(path)
    if estimate is None:
        return
    name = axle_name(results.solution.layout.vehicle, axle).capitalize()
    start = f"{name} total toe is {say('total_toe_deg', estimate.value, style)}"
    verdict = next((v for v in results.verdicts if v["quantity"] == "total_toe_deg" and v["axle"] == axle), None)
    yield f"{start}{_against(verdict, style)}."


def _against(verdict: dict[str, object] | None, style: str) -> str:
    """How the verdict bears on a value, as the end of a sentence."""
    if verdict is None:
        return ""
    value, low, high = verdict["value"], verdict["min"], verdict["max"]
    if verdict["verdict"] == "undecided":
        return ": too close to a limit for these readings to say"
    if verdict["verdict"] == "inside" or not isinstance(value, float):
        return ", inside"
    if isinstance(low, float) and value < low:
        beyond, word = low - value, "under the least"
    elif isinstance(high, float):
        beyond, word = value - high, "over the most"
    else:
        return ""
    return f", {say_angle(beyond, style)} {word} allowed: outside, and by more than the readings can be wrong"


def _agreement(results: PhaseResults) -> Iterable[str]:
    solution = results.solution
    if results.suspects:
        worst = results.suspects[0]
        reading = solution.readings[worst.reading]
        others = "".join(f" and the {solution.readings[index].title()}" for index in worst.alike)
        plural = reading.PLURAL or others
        yield (
            f"Before trusting this, read the {reading.title()}{others} again: {'they do' if plural else 'it does'} not "
            f"agree {'with each other or ' if others else ''}with the rest."
        )
    elif not solution.consistent:
        yield "The readings do not agree with each other, and none of them stands out as the cause."
    elif solution.redundancy == 0 and any(reading.data["kind"] not in _TOLD for reading in solution.readings):
        yield "Nothing is read twice over, so no slip of reading could be found here."
