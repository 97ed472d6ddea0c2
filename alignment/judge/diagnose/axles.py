"""Axles that are bent, shifted, or do not point where they should."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

from alignment.judge.diagnose.base import DiagnosticRule, Evidence, Finding
from alignment.model.vehicle import SIDES
from alignment.speech import side_name


class BeamAxle(DiagnosticRule):
    """Camber out on a beam axle that does not steer: a bent tube."""

    CODE = "beam-axle"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for axle in seen.vehicle.axles:
            for side in SIDES if axle.rigid else ():
                path = f"axles/{axle.number}/{side}/camber_deg"
                off = seen.side_of_limits(path)
                if off is not None and off[0] != 0:
                    yield self.finding(f"{axle.number}/{side}", "the axle tube is bent", [off[1]], [seen.reason(path), "one beam carries both wheels"],
                                       "shim where the maker allows it, else tell the owner")  # fmt: skip


class NothingAdjusts(DiagnosticRule):
    """Toe out of limits behind where nothing adjusts: a worn bush or a bent link."""

    CODE = "nothing-adjusts"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for axle in seen.vehicle.axles:
            path = f"axles/{axle.number}/total_toe_deg"
            paths = {path, *(f"axles/{axle.number}/{side}/toe_deg" for side in SIDES)}
            off = seen.side_of_limits(path)
            if axle.steers or axle.rigid or paths & seen.adjusts or off is None or off[0] == 0:
                continue
            yield self.finding(f"{axle.number}", "a worn bush or a bent link", [off[1]], [seen.reason(path), "nothing adjusts it here"],
                               "lever the bushes, repair, then measure again")  # fmt: skip


class ThrustOff(DiagnosticRule):
    """Thrust off: set by what adjusts there; where nothing does and the wheels are equal, the axle or subframe has shifted."""

    CODE = "axle-shifted"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        number = seen.vehicle.thrust_axle
        off = seen.side_of_limits("thrust_angle_deg")
        if number is None or off is None or off[0] == 0:
            return
        side, axle = ("right" if off[0] > 0 else "left"), seen.vehicle.axle(number)
        left = f"the vehicle runs crabwise and its steering wheel sits to the {side}"
        reason = seen.reason("thrust_angle_deg")
        if seen.adjustable(number, "toe_deg", "bearing_deg", "total_toe_deg"):
            cause = f"{seen.name(number)} is not set square"
            yield self.finding(
                f"set/{number}", cause, [off[1]], [reason, "it adjusts here"], "set it, and see whether it stays", left
            )
        elif axle.rigid or seen.right(f"axles/{number}/total_toe_deg"):
            equal = "the axle is one beam" if axle.rigid else "the total toe of that axle is within its limits"
            yield self.finding(f"{number}", "the axle or its subframe has shifted, or a centre bolt has sheared", [off[1]], [reason, equal],
                               "look at the centre bolts first, then square it at its seats: no rod turns it", left)  # fmt: skip


def edges(*, rear_further_right: bool) -> tuple[str, str]:
    """Which edges of the tyres wear on the front and on the rear one of two axles that fight: an axle that points to the right of
    the way it is dragged wears the left edges of its tyres.
    """
    return ("right", "left") if rear_further_right else ("left", "right")


class AxlesFight(DiagnosticRule):
    """Neighbouring fixed axles that point apart: a tandem's scrub; a lift, dead or tag axle out of square to the one that drives."""

    CODE = "scrub"
    QUANTITY: ClassVar[str] = "scrub_deg"

    def pairs(self, seen: Evidence) -> tuple[tuple[int, int], ...]:
        """The pairs that it looks at."""
        return seen.vehicle.fixed_pairs

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for front, rear in self.pairs(seen):
            path = f"{self.QUANTITY}/{front}-{rear}"
            off = seen.side_of_limits(path)
            if off is None or off[0] == 0:
                continue
            worn = [f"the {side_name(side)} tyre of {seen.name(axle)} is feathered" for axle in (front, rear) for side in SIDES
                    if seen.wear.get((axle, side)) == "feathered"]  # fmt: skip
            ends = edges(rear_further_right=off[0] > 0)
            left = f"the {ends[0]} edges of the tyres of {seen.name(front)} and the {ends[1]} edges of those of {seen.name(rear)} wear"
            cause, confirm = self.say(seen, front, rear)
            yield self.finding(f"{front}-{rear}", cause, [off[1]], [seen.reason(path), *worn], confirm, left)

    def say(self, seen: Evidence, front: int, rear: int) -> tuple[str, str]:
        """What is wrong between two axles, and what would confirm it."""
        led = [axle for axle in (front, rear) if seen.vehicle.axle(axle).role in ("lift", "dead")]
        if led:
            role = seen.vehicle.axle(led[0]).role
            return (
                f"{seen.name(led[0])}, the {role} axle, stands out of square",
                "look at its arms, bushes and seats, and square it to the axle that drives",
            )
        return (
            f"{seen.name(front)} and {seen.name(rear)} fight each other",
            "look at torque rods, hangers and centre bolts, and square one to the other",
        )


class TwinSteer(AxlesFight):
    """Two steer axles that do not point alike: the link between them."""

    CODE = "twin-steer"
    QUANTITY = "parallelism_deg"

    def pairs(self, seen: Evidence) -> tuple[tuple[int, int], ...]:
        return seen.vehicle.steered_pairs

    def say(self, seen: Evidence, front: int, rear: int) -> tuple[str, str]:
        if len(seen.vehicle.axles) == 2:  # noqa: PLR2004 - front and rear
            return (
                "the rear steering does not stand in its middle",
                "bring it to its middle by the maker's procedure, and measure",
            )
        return (
            f"the link from {seen.name(front)} to {seen.name(rear)} has the wrong length",
            "set each axle's own toe, then the link between them",
        )


class TrailerAskew(DiagnosticRule):
    """An axle of a trailer that is askew to its king pin or drawbar."""

    CODE = "trailer-askew"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        if seen.vehicle.kingpin_mm is None:
            return
        for axle in seen.vehicle.axles:
            path = f"axles/{axle.number}/bearing_deg"
            off = seen.side_of_limits(path, ASKEW_DEG)
            if axle.steers or off is None or off[0] == 0:
                continue
            side = "right" if off[0] > 0 else "left"
            said = ["it runs crabwise"] if "runs-crabwise" in seen.complaints else []
            yield self.finding(f"{axle.number}", f"{seen.name(axle.number)} is askew to the king pin or drawbar", [off[1]], [*said, seen.reason(path)],
                               "look at its seats, centre bolts and radius arms, and square it", f"the trailer's tail runs out to the {side}")  # fmt: skip


ASKEW_DEG = 0.15
"""A trailer's axle further askew than this runs crabwise where no specification says otherwise; common practice, no source."""
