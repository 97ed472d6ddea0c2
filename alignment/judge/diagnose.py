"""Likely causes: rules over results, what was found on inspection, and the complaint.

A rule proposes, with its reasons, how sure it is and what would confirm it; the technician decides. No rule is surer than
the readings: what is inside its limits is no cause, what is too close to say makes a cause possible, what is outside
likely. The rules are common practice, no source.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from alignment.estimate.solve import Estimate
from alignment.judge.results import PhaseResults, quantity_of, say_path
from alignment.judge.verdict import COVERAGE, Rule
from alignment.model.vehicle import SIDES, Vehicle, axle_name
from alignment.quantities import say

COMPLAINTS = {
    "pulls-left": "pulls to the left", "pulls-right": "pulls to the right", "wears-a-tyre": "wears a tyre",
    "wheel-off-centre": "steering wheel off centre", "wanders": "wanders",
}  # fmt: skip
"""What is complained of, in words by its code."""
WEAR = {"inner": "inner", "outer": "outer", "feathered": "feathered", "both-shoulders": "both shoulders",
        "centre": "centre", "cups": "cups"}  # fmt: skip
"""How a tyre wears, in words by its code."""
LIKELY, POSSIBLE = "likely", "possible"

SETBACK_WORTH_A_LOOK_MM = 5.0
"""Setback beyond this on a modern car asks for a look at collision damage or worn parts; common practice, no source."""
PULL_CROSS_CAMBER_DEG = 0.5
PULL_CROSS_CASTER_DEG = 0.5
"""Cross values beyond these are felt as a pull where no specification says otherwise; common practice, no source."""
UNEQUAL_TOE_OUT_DEG = 0.75
"""Toe-out on the two turns should be alike within about this; common practice, no source."""
PULL_THRUST_DEG = 0.1
"""A thrust angle beyond this is felt where no specification says otherwise; common practice, no source."""


@dataclass(frozen=True)
class Evidence:
    """What is known of a vehicle. ``wear`` is the pattern of a tyre by axle and side; ``adjusts`` are paths of results that
    something on the vehicle can change.
    """

    results: PhaseResults
    complaints: frozenset[str] = frozenset()
    wear: Mapping[tuple[int, str], str] = field(default_factory=dict)
    adjusts: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        unknown = [*(self.complaints - set(COMPLAINTS)), *(set(self.wear.values()) - set(WEAR))]
        if unknown:
            expected = ", ".join((*COMPLAINTS, *WEAR))
            raise ValueError(f"expected complaints and wear among {expected}; got {', '.join(unknown)}")

    @property
    def vehicle(self) -> Vehicle:
        return self.results.solution.layout.vehicle

    def rule(self, path: str) -> Rule | None:
        """The specification's row for a result."""
        return next((rule for rule in self.results.rules if rule.path == path), None)

    def off(self, path: str, way: int, usual: float | None = None) -> str | None:
        """How sure it is that a result lies beyond its limit above (``way`` +1) or below (-1); None where it does not.

        ``usual`` stands in for limits to both sides of zero where the specification has none. None too where the result
        or that limit is missing.
        """
        estimate, rule = self.results.estimates.get(path), self.rule(path)
        low, high = (rule.minimum, rule.maximum) if rule is not None else (None, None)
        if low is None and high is None and usual is not None:
            low, high = -usual, usual
        limit = high if way > 0 else low
        if estimate is None or limit is None:
            return None
        beyond, margin = way * (estimate.value - limit), COVERAGE * estimate.u
        if beyond + margin <= 0:
            return None
        return LIKELY if beyond > margin else POSSIBLE

    def side_of_limits(self, path: str, usual: float | None = None) -> tuple[int, str] | None:
        """On which side of its limits a result lies (-1 low, 0 between, +1 high), and how sure that is.

        None where the result or any limit is missing.
        """
        estimate, rule = self.results.estimates.get(path), self.rule(path)
        limited = usual is not None or (rule is not None and (rule.minimum is not None or rule.maximum is not None))
        if estimate is None or not limited:
            return None
        sides = [(way, sure) for way in (1, -1) if (sure := self.off(path, way, usual)) is not None]
        return min(sides, key=lambda side: side[1] != LIKELY, default=(0, LIKELY))

    def right(self, path: str) -> bool:
        """Whether a result is surely between its limits."""
        found = self.side_of_limits(path)
        return found is not None and found[0] == 0

    def told(self, path: str) -> Estimate | None:
        """A result that differs from zero by more than the readings can be wrong."""
        estimate = self.results.estimates.get(path)
        return estimate if estimate is not None and abs(estimate.value) > COVERAGE * estimate.u else None

    def reason(self, path: str) -> str:
        """A result as a reason: "left front camber is 1.25° leaning in"."""
        estimate = self.results.estimates[path]
        assert estimate is not None  # noqa: S101 - a rule gives as reason only what it has looked at
        return f"{say_path(self.vehicle, path)} is {say(quantity_of(path), estimate.value)}"


@dataclass(frozen=True)
class Finding:
    """A proposed cause: ``sure`` is ``likely`` or ``possible``; ``reasons`` say why, ``confirm`` what would settle it.

    ``about`` tells it from the rule's other findings (which cause, where); with the rule's it makes the ``code``.
    """

    rule: str
    about: str
    cause: str
    sure: str
    reasons: tuple[str, ...]
    confirm: str

    @property
    def code(self) -> str:
        """What names this finding, whatever its words."""
        return f"{self.rule}/{self.about}"

    def say(self) -> str:
        """The finding as sentences."""
        start = "Likely" if self.sure == LIKELY else "Possibly"
        return f"{start}: {self.cause}. Because {', and '.join(self.reasons)}. To be sure: {self.confirm}."


class DiagnosticRule(ABC):
    """One row of the table of what readings mean."""

    CODE: ClassVar[str]

    @abstractmethod
    def find(self, seen: Evidence) -> Iterator[Finding]:
        """What this rule proposes on the evidence."""

    def finding(self, about: str, cause: str, sure: Iterable[str], reasons: Iterable[str], confirm: str) -> Finding:
        """A finding that is likely only where everything it rests on is."""
        level = LIKELY if all(one == LIKELY for one in sure) else POSSIBLE
        return Finding(self.CODE, about, cause, level, tuple(reasons), confirm)


class OneSidedWear(DiagnosticRule):
    """Inner tread worn: camber too negative, or toe-out; outer tread: camber too positive, or toe-in."""

    CODE = "one-sided-wear"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for (axle, side), pattern in seen.wear.items():
            if pattern not in ("inner", "outer"):
                continue
            way = -1 if pattern == "inner" else 1
            blames = (
                ("camber too negative", "too much toe-out") if way < 0 else ("camber too positive", "too much toe-in")
            )
            name = f"{side} {axle_name(seen.vehicle, axle)} tyre"
            worn = f"the {name} is worn on its {pattern} edge"
            camber, toe = f"axles/{axle}/{side}/camber_deg", f"axles/{axle}/total_toe_deg"
            sure = {path: seen.off(path, way) for path in (camber, toe)}
            for about, path, text in zip(("camber", "toe"), (camber, toe), blames, strict=True):
                if sure[path] is not None:
                    yield self.finding(f"{about}/{axle}/{side}", f"{text} wears the {name}", [sure[path] or POSSIBLE], [worn, seen.reason(path)],
                                       "set it, and look at the tyre again at the next visit")  # fmt: skip
            unknown = [path for path in (camber, toe) if seen.results.estimates.get(path) is None]
            if unknown and not any(sure.values()):
                missing = " and ".join(say_path(seen.vehicle, path) for path in unknown)
                yield self.finding(f"either/{axle}/{side}", " or ".join(blames), [POSSIBLE], [worn, f"{missing} was not measured"],
                                   "measure both before blaming one")  # fmt: skip


class FeatheredWear(DiagnosticRule):
    """Feathered edges: toe; the side of the feather tells in or out."""

    CODE = "feathered-wear"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for (axle, side), pattern in seen.wear.items():
            if pattern != "feathered":
                continue
            path = f"axles/{axle}/total_toe_deg"
            found = seen.side_of_limits(path)
            worn = f"the {side} {axle_name(seen.vehicle, axle)} tyre is feathered"
            feel = "feel which way the feather stands: sharp towards the middle is toe-in, towards the outside toe-out"
            if found is None:
                yield self.finding(f"{axle}/{side}", "toe", [POSSIBLE], [worn], f"measure toe; {feel}")
            elif found[0] != 0:
                yield self.finding(f"{axle}/{side}", "toe", [found[1]], [worn, seen.reason(path)], feel)


class WearOfOtherCauses(DiagnosticRule):
    """Both shoulders or the centre: pressure. Cups and patches: balance or damper. None of it is alignment."""

    CODE = "wear-that-is-not-alignment"
    CAUSES: ClassVar[Mapping[str, tuple[str, str, str]]] = {
        "both-shoulders": ("on both shoulders", "pressure too low", "check the pressure against the plate, cold"),
        "centre": ("in the centre", "pressure too high", "check the pressure against the plate, cold"),
        "cups": ("in cups", "balance or a damper", "spin the wheel on a balancer and press the corner down"),
    }
    """Where the tread is worn, what wears it so, and what would confirm it, by the pattern."""

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for (axle, side), pattern in seen.wear.items():
            if pattern in self.CAUSES:
                place, cause, confirm = self.CAUSES[pattern]
                worn = f"the {side} {axle_name(seen.vehicle, axle)} tyre is worn {place}"
                yield self.finding(f"{axle}/{side}", f"{cause}, not alignment", [LIKELY], [worn], confirm)


class WheelOffCentre(DiagnosticRule):
    """Steering wheel off centre, running straight: front toes unequal, or the thrust line. Thrust first."""

    CODE = "wheel-off-centre"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        if "wheel-off-centre" not in seen.complaints:
            return
        said = "the steering wheel sits off centre"
        thrust = seen.told("thrust_angle_deg")
        if thrust is not None:
            yield self.finding("thrust", "the thrust line", [LIKELY], [said, seen.reason("thrust_angle_deg")],
                               "set the thrust first, then look at the wheel again")  # fmt: skip
        if seen.told("steer_ahead_deg") is not None:
            yield self.finding("front-toes", "front toes unequal against the thrust line", [LIKELY],
                               [said, seen.reason("steer_ahead_deg")], "share the toe evenly with the wheel locked straight")  # fmt: skip
        if seen.results.estimates.get("steer_ahead_deg") is None:
            yield self.finding(
                "either", "front toes unequal, or the thrust line", [POSSIBLE], [said], "measure the thrust line first"
            )


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
                yield self.finding(quantity_of(path), cause, [sure], [f"it {complaint}", seen.reason(path)], swap)


class StrutOrSpindle(DiagnosticRule):
    """SAI low, camber high, included angle right: tower or crossmember. SAI right, camber and included wrong: spindle or strut."""

    CODE = "strut-or-spindle"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for axle in seen.vehicle.axles:
            for side in SIDES if axle.steers else ():
                at = f"axles/{axle.number}/{side}"
                camber, sai, included = (f"{at}/{name}_deg" for name in ("camber", "sai", "included"))
                off = seen.side_of_limits(camber)
                if off is None or off[0] == 0:
                    continue
                opposite = seen.off(sai, -off[0])
                if opposite is not None and seen.right(included):
                    yield self.finding(f"tower/{axle.number}/{side}", "the strut tower or the crossmember has moved", [off[1], opposite],
                                       [seen.reason(camber), seen.reason(sai), "their sum is right"], "measure the body")  # fmt: skip
                same = seen.off(included, off[0])
                if same is not None and seen.right(sai):
                    yield self.finding(f"spindle/{axle.number}/{side}", "the spindle or the strut is bent", [off[1], same],
                                       [seen.reason(camber), seen.reason(included), seen.reason(sai)],
                                       "look at it beside the other side's, and replace it")  # fmt: skip


class CollisionSetback(DiagnosticRule):
    """Setback with caster different: collision on the side that is set back, or the cradle shifted."""

    CODE = "collision"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for axle in seen.vehicle.axles:
            path, cross = f"axles/{axle.number}/setback_mm", f"axles/{axle.number}/cross_caster_deg"
            off = seen.side_of_limits(path, SETBACK_WORTH_A_LOOK_MM)
            if off is None or off[0] == 0 or seen.told(cross) is None:
                continue
            side = "right" if off[0] > 0 else "left"
            # The wheel that was pushed back has lost caster: cross caster is left less right.
            caster = seen.off(cross, 1 if side == "right" else -1, PULL_CROSS_CASTER_DEG)
            if caster is not None:
                yield self.finding(f"{axle.number}/{side}", f"a collision on the {side}, or the cradle has shifted", [off[1], caster],
                                   [seen.reason(path), seen.reason(cross)], "measure the body and look at the cradle's marks")  # fmt: skip


class SteeringArm(DiagnosticRule):
    """Toe-out on turns unequal with toe right: a steering arm is bent."""

    CODE = "steering-arm"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for axle in seen.vehicle.axles:
            at = f"axles/{axle.number}"
            left, right = (seen.results.estimates.get(f"{at}/toe_out_{way}_turn_deg") for way in SIDES)
            if left is None or right is None or not seen.right(f"{at}/total_toe_deg"):
                continue
            # Each way's inner reading is common; taking the two as independent is on the careful side.
            margin = COVERAGE * (left.u**2 + right.u**2) ** 0.5
            apart = abs(left.value - right.value)
            if apart + margin > UNEQUAL_TOE_OUT_DEG and apart > margin:
                sure = LIKELY if apart - margin > UNEQUAL_TOE_OUT_DEG else POSSIBLE
                reasons = [f"toe-out differs by {apart:.2f}° between the two turns", "total toe is right"]
                yield self.finding(
                    f"{axle.number}",
                    "a steering arm is bent",
                    [sure],
                    reasons,
                    "compare the arms side by side, and replace it",
                )


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


class AxleShifted(DiagnosticRule):
    """Thrust off with the rear wheels equal: the axle or subframe has shifted, a centre bolt sheared."""

    CODE = "axle-shifted"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        number = seen.vehicle.thrust_axle
        off = seen.side_of_limits("thrust_angle_deg")
        if number is None or off is None or off[0] == 0:
            return
        if seen.vehicle.axle(number).rigid or seen.right(f"axles/{number}/total_toe_deg"):
            equal = "the axle is one beam" if seen.vehicle.axle(number).rigid else "its total toe is right"
            yield self.finding(f"{number}", "the axle or its subframe has shifted, or a centre bolt has sheared", [off[1]],
                               [seen.reason("thrust_angle_deg"), equal], "square it: no rod will; look at the centre bolts first")  # fmt: skip


RULES: tuple[DiagnosticRule, ...] = (
    OneSidedWear(), FeatheredWear(), WearOfOtherCauses(), WheelOffCentre(), Pull(), StrutOrSpindle(), CollisionSetback(),
    SteeringArm(), BeamAxle(), NothingAdjusts(), AxleShifted(),
)  # fmt: skip


def diagnose(seen: Evidence) -> list[Finding]:
    """Every finding of every rule, the likely ones first."""
    found = [finding for rule in RULES for finding in rule.find(seen)]
    return sorted(found, key=lambda finding: finding.sure != LIKELY)
