"""Likely causes: rules over results, what was found on inspection, and the complaint.

One file for each family of rules. A new rule is one class in one of them, and is listed here.
"""

from __future__ import annotations

from alignment.judge.diagnose.axles import AxlesFight, BeamAxle, NothingAdjusts, ThrustOff, TrailerAskew, TwinSteer
from alignment.judge.diagnose.base import COMPLAINTS, DONE, LIKELY, POSSIBLE, WEAR, DiagnosticRule, Evidence, Finding
from alignment.judge.diagnose.parts import CollisionSetback, PlayFound, SetbackAlone, SteeringArm, StrutOrSpindle
from alignment.judge.diagnose.road import Pull, Wanders, WheelOffCentre
from alignment.judge.diagnose.wear import FeatheredWear, OneSidedWear, WearOfOtherCauses

RULES: tuple[DiagnosticRule, ...] = (
    PlayFound(), OneSidedWear(), FeatheredWear(), WearOfOtherCauses(), WheelOffCentre(), Pull(), Wanders(), StrutOrSpindle(),
    CollisionSetback(), SteeringArm(), SetbackAlone(), BeamAxle(), NothingAdjusts(), ThrustOff(), AxlesFight(), TwinSteer(),
    TrailerAskew(),
)  # fmt: skip


def diagnose(seen: Evidence) -> list[Finding]:
    """Every finding of every rule: what comes before any angle first, then the likely ones."""
    found = [finding for rule in RULES for finding in rule.find(seen)]
    return sorted(found, key=lambda finding: (not finding.first, finding.sure != LIKELY))


__all__ = [
    "COMPLAINTS",
    "DONE",
    "LIKELY",
    "POSSIBLE",
    "RULES",
    "WEAR",
    "DiagnosticRule",
    "Evidence",
    "Finding",
    "diagnose",
]
