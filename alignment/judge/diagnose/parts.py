"""Parts that are bent, shifted or loose."""

from __future__ import annotations

from collections.abc import Iterator

from alignment.judge.diagnose.base import (
    LIKELY,
    POSSIBLE,
    PULL_CROSS_CASTER_DEG,
    SETBACK_WORTH_A_LOOK_MM,
    UNEQUAL_TOE_OUT_DEG,
    DiagnosticRule,
    Evidence,
    Finding,
)
from alignment.judge.verdict import COVERAGE
from alignment.model.vehicle import SIDES
from alignment.speech import side_name


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
                    yield self.finding(f"tower/{axle.number}/{side}", _moved(seen), [off[1], opposite],
                                       [seen.reason(camber), seen.reason(sai), "their sum is within its limits"], "measure the body")  # fmt: skip
                same = seen.off(included, off[0])
                if same is not None and seen.right(sai):
                    yield self.finding(f"spindle/{axle.number}/{side}", _bent(seen), [off[1], same],
                                       [seen.reason(camber), seen.reason(included), seen.reason(sai)],
                                       "look at it beside the other side's, and replace it")  # fmt: skip


def _moved(seen: Evidence) -> str:
    return (
        "the strut tower or the crossmember has moved"
        if _on_struts(seen)
        else "the beam's end is bent, or its king pin is worn"
    )


def _bent(seen: Evidence) -> str:
    return "the spindle or the strut is bent" if _on_struts(seen) else "the stub axle is bent"


def _on_struts(seen: Evidence) -> bool:
    """Whether the wheels that steer may hang on struts: on three axles and more they stand on beams."""
    return len(seen.vehicle.axles) == 2  # noqa: PLR2004 - cars, vans, and trucks too small to matter


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
                yield self.finding(f"{axle.number}/{side}", f"a collision on the {side_name(side)}, or the cradle has shifted", [off[1], caster],
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
                reasons = [f"toe-out differs by {apart:.2f}° between the two turns", "total toe is within its limits"]
                yield self.finding(
                    f"{axle.number}",
                    "a steering arm is bent",
                    [sure],
                    reasons,
                    "compare the arms side by side, and replace it",
                )


class PlayFound(DiagnosticRule):
    """Play or wear in king pins, joints, rod ends, bushes or bearings: before any angle is believed."""

    CODE = "play"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for axle, part in seen.worn.items():
            yield Finding(self.CODE, f"{axle}", f"play or wear: {part}", LIKELY, ("it was found in Look over",),
                          "replace it, then measure: angles of a loose wheel are not to be believed",
                          "what is set now moves again with the play", first=True)  # fmt: skip


class SetbackAlone(DiagnosticRule):
    """A large setback with nothing else wrong: something was pushed back, or the axle stands askew in its seats."""

    CODE = "setback"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for axle in seen.vehicle.axles:
            path, cross = f"axles/{axle.number}/setback_mm", f"axles/{axle.number}/cross_caster_deg"
            off = seen.side_of_limits(path, SETBACK_WORTH_A_LOOK_MM)
            if off is None or off[0] == 0 or axle.rigid:
                continue
            side = "right" if off[0] > 0 else "left"
            if seen.off(cross, 1 if side == "right" else -1, PULL_CROSS_CASTER_DEG) is not None:
                continue
            yield self.finding(f"{axle.number}", f"the {side_name(side)} wheel of {seen.name(axle.number)} was pushed back: a blow, a bush or a mounting", [off[1]],
                               [seen.reason(path)], "look at that side's bushes and mountings, and measure the body", f"it pulls to the {side} when braked")  # fmt: skip
