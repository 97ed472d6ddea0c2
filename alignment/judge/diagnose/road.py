"""What is felt on the road: a steering wheel off centre, a pull, wandering."""

from __future__ import annotations

from collections.abc import Iterator

from alignment.judge.diagnose.base import (
    COMPLAINTS,
    LIKELY,
    POSSIBLE,
    PULL_CROSS_CAMBER_DEG,
    PULL_CROSS_CASTER_DEG,
    PULL_THRUST_DEG,
    DiagnosticRule,
    Evidence,
    Finding,
)
from alignment.judge.results import quantity_of
from alignment.model.vehicle import SIDES
from alignment.speech import side_name


class WheelOffCentre(DiagnosticRule):
    """Steering wheel off centre, running straight: front toes unequal, or the thrust line. Thrust first."""

    CODE = "wheel-off-centre"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        if "wheel-off-centre" not in seen.complaints:
            return
        said = "the steering wheel sits off centre"
        thrust, ahead = (
            seen.off_zero("thrust_angle_deg", PULL_THRUST_DEG / 2),
            seen.off_zero("steer_ahead_deg", PULL_THRUST_DEG / 2),
        )
        if thrust is not None:
            yield self.finding("thrust", "the thrust line", [thrust], [said, seen.reason("thrust_angle_deg")],
                               "set the thrust first, then look at the wheel again")  # fmt: skip
        if ahead is not None:
            yield self._of_the_front(seen, ahead, [said, seen.reason("steer_ahead_deg")])
        if seen.results.estimates.get("steer_ahead_deg") is None:
            yield self.finding(
                "either", "front toes unequal, or the thrust line", [POSSIBLE], [said], "measure the thrust line first"
            )

    def _of_the_front(self, seen: Evidence, ahead: str, because: list[str]) -> Finding:
        """Its rods share the toe; the wheels of a beam point together where its drag link puts them."""
        front = seen.vehicle.first_steered
        if front is not None and front.number in seen.linked:
            name = "the drag link's length puts the front beside the thrust line"
            return self.finding("drag-link", name, [ahead], because, "set the drag link with the wheel locked straight")
        name = "front toes unequal against the thrust line"
        return self.finding("front-toes", name, [ahead], because, "share the toe evenly with the wheel locked straight")


class Pull(DiagnosticRule):
    """Pulls on a flat road: to the more positive camber, to the less positive caster, or with the thrust; else tyres, brakes."""

    CODE = "pull"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for side, sign in (("left", 1), ("right", -1)):
            if f"pulls-{side}" not in seen.complaints:
                continue
            complaint = COMPLAINTS[f"pulls-{side}"]
            found = list(self._by_angles(seen, complaint, sign))
            yield from found
            if not any(finding.sure == LIKELY for finding in found):
                yield self.finding(f"tyre/{side}", "a tyre, or a brake that drags", [POSSIBLE], [f"it {complaint}", "no angle explains it for sure"],
                                   "swap the front tyres side for side: a pull that changes side is the tyres'; feel for a hot brake")  # fmt: skip

    def _by_angles(self, seen: Evidence, complaint: str, sign: int) -> Iterator[Finding]:
        steered = seen.vehicle.first_steered
        at = f"axles/{steered.number}" if steered is not None else ""
        swap = "swap the front tyres as a test: a pull that stays is the angle's"
        for path, way, usual, cause in (
            (f"{at}/cross_camber_deg", sign, PULL_CROSS_CAMBER_DEG, "cross camber: it pulls to the more positive side"),
            (
                f"{at}/cross_caster_deg",
                -sign,
                PULL_CROSS_CASTER_DEG,
                "cross caster: it pulls to the less positive side",
            ),
            ("thrust_angle_deg", sign, PULL_THRUST_DEG, "the thrust angle: the rear steers"),
        ):
            sure = seen.off(path, way, usual)
            if sure is not None:
                yield self.finding(quantity_of(path), cause, [sure], [f"it {complaint}", seen.reason(path)], swap,
                                   f"it goes on pulling to the {complaint.rsplit(' ', 1)[1]}")  # fmt: skip


WANDERS_CASTER_DEG = 1.5
"""Caster below this lets a vehicle wander where no specification says otherwise; common practice, no source."""


class Wanders(DiagnosticRule):
    """Wanders: play first; too little caster, toe-out in front, axles that fight each other; else tyres and the steering box."""

    CODE = "wanders"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        if "wanders" not in seen.complaints:
            return
        found = list(self._by_angles(seen))
        yield from found
        if not any(one.sure == LIKELY for one in found):
            felt = (
                "" if "joints" in seen.done else "feel every joint and the steering box with the wheels on the ground"
            )
            yield self.finding(
                "play",
                "play in the steering, or a tyre",
                [POSSIBLE],
                ["it wanders", "no angle explains it for sure"],
                felt,
            )

    def _by_angles(self, seen: Evidence) -> Iterator[Finding]:
        for axle in seen.vehicle.axles:
            at = f"axles/{axle.number}"
            if not axle.steers:
                continue
            for side in SIDES:
                path = f"{at}/{side}/caster_deg"
                sure = seen.off(path, -1) or seen.below(path, WANDERS_CASTER_DEG)
                if sure is not None:
                    yield self.finding(f"caster/{axle.number}/{side}", f"too little caster on the {side_name(side)} of {seen.name(axle.number)}", [sure],
                                       ["it wanders", seen.reason(path)], "set it, or look for what has sagged")  # fmt: skip
            sure = seen.off(f"{at}/total_toe_deg", -1) or seen.below(f"{at}/total_toe_deg", 0.0)
            if sure is not None:
                yield self.finding(f"toe/{axle.number}", f"toe-out of {seen.name(axle.number)}", [sure], ["it wanders", seen.reason(f"{at}/total_toe_deg")],
                                   "set it", "the inner edges of its tyres wear")  # fmt: skip
