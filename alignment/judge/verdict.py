"""Deciding conformity under uncertainty.

The expanded uncertainty is ``U = 2u``. Inside means that ``value ± U`` lies within the bounds, outside that it
lies wholly beyond one; anything else is too close to say. This is guarded acceptance and guarded rejection as in
ISO 14253-1 and JCGM 106 (named from memory).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from alignment.estimate.solve import Estimate

COVERAGE = 2.0
"""Expanded uncertainty in standard uncertainties: about 95 % for a normal distribution."""


@dataclass(frozen=True)
class Rule:
    """One row of a specification: bounds in degrees or millimetres, any of them absent."""

    quantity: str
    axle: int | None = None
    side: str | None = None
    axles: tuple[int, int] | None = None
    minimum: float | None = None
    maximum: float | None = None
    preferred: float | None = None

    @property
    def path(self) -> str:
        """The results' path of what is judged: ``axles/1/left/camber_deg``."""
        if self.axles is not None:
            return f"{self.quantity}/{self.axles[0]}-{self.axles[1]}"
        if self.axle is None:
            return self.quantity
        return "/".join(["axles", str(self.axle), *([self.side] if self.side else []), self.quantity])

    def as_subject(self) -> dict[str, Any]:
        """The row's own words for what it judges: quantity, axle, side, or axles."""
        subject: dict[str, Any] = {"quantity": self.quantity, "axle": self.axle, "side": self.side}
        if self.axles is not None:
            subject["axles"] = list(self.axles)
        return subject


def chance_inside(estimate: Estimate, minimum: float | None, maximum: float | None) -> float:
    """The probability that the true value lies within the bounds, for normal errors (JCGM 106, from memory)."""

    def below(bound: float) -> float:
        if estimate.u == 0:
            return float(bound >= estimate.value)
        return 0.5 * (1.0 + math.erf((bound - estimate.value) / (estimate.u * math.sqrt(2.0))))

    return (1.0 if maximum is None else below(maximum)) - (0.0 if minimum is None else below(minimum))


def decide(estimate: Estimate | None, minimum: float | None, maximum: float | None) -> str:
    """``inside``, ``outside``, ``undecided``, or ``undetermined`` where there is no estimate."""
    if estimate is None:
        return "undetermined"
    low = estimate.value - COVERAGE * estimate.u
    high = estimate.value + COVERAGE * estimate.u
    if (minimum is not None and high < minimum) or (maximum is not None and low > maximum):
        return "outside"
    if (minimum is None or low >= minimum) and (maximum is None or high <= maximum):
        return "inside"
    return "undecided"


def judge(rule: Rule, estimate: Estimate | None) -> dict[str, Any]:
    """A verdict as the results file gives it."""
    return rule.as_subject() | {
        "value": None if estimate is None else estimate.value,
        "u": None if estimate is None else estimate.u,
        "min": rule.minimum,
        "max": rule.maximum,
        "verdict": decide(estimate, rule.minimum, rule.maximum),
    }
