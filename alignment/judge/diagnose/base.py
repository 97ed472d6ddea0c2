"""What every rule of the diagnosis is, and the evidence that it looks at.

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
from alignment.judge.leaning import against_gravity
from alignment.judge.results import PhaseResults, quantity_of, say_path
from alignment.judge.verdict import COVERAGE, Rule
from alignment.model.vehicle import Vehicle, the_axle
from alignment.quantities import say

COMPLAINTS = {
    "pulls-left": "pulls to the left", "pulls-right": "pulls to the right", "wears-a-tyre": "wears a tyre",
    "wheel-off-centre": "steering wheel off centre", "wanders": "wanders", "runs-crabwise": "runs crabwise",
}  # fmt: skip
"""What is complained of, in words by its code."""
WEAR = {"inner": "inner", "outer": "outer", "feathered": "feathered", "both-shoulders": "both shoulders",
        "centre": "centre", "cups": "cups"}  # fmt: skip
"""How a tyre wears, in words by its code."""
LIKELY, POSSIBLE = "likely", "possible"
DONE = ("pressures", "joints")
"""What may have been looked at already: tyre pressures against the plate, and play in joints and bearings."""

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
    something on the vehicle can change; ``worn`` are the parts in which play or wear was found, in words, by axle; ``done`` are
    codes of DONE: what was looked at already, and is not asked for again; ``linked`` are axles whose heading a drag link sets.
    """

    results: PhaseResults
    complaints: frozenset[str] = frozenset()
    wear: Mapping[tuple[int, str], str] = field(default_factory=dict)
    adjusts: frozenset[str] = frozenset()
    worn: Mapping[int, str] = field(default_factory=dict)
    done: frozenset[str] = frozenset()
    linked: frozenset[int] = frozenset()

    def __post_init__(self) -> None:
        unknown = [*(self.complaints - set(COMPLAINTS)), *(set(self.wear.values()) - set(WEAR))]
        if unknown:
            expected = ", ".join((*COMPLAINTS, *WEAR))
            raise ValueError(f"expected complaints and wear among {expected}; got {', '.join(unknown)}")

    @property
    def vehicle(self) -> Vehicle:
        return self.results.solution.layout.vehicle

    def rule(self, path: str) -> Rule | None:
        """The specification's row for a result. Limits of a camber against gravity hold for the camber on the road too, where it
        has none of its own.
        """
        rules = {rule.path: rule for rule in self.results.rules}
        return rules.get(path, rules.get(against_gravity(path)))

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

    def off_zero(self, path: str, usual: float) -> str | None:
        """How sure it is that a result lies outside its limits, or ``usual`` ones about zero; None where it does not."""
        found = self.side_of_limits(path, usual)
        return None if found is None or found[0] == 0 else found[1]

    def below(self, path: str, least: float) -> str | None:
        """How sure it is that a result without limits of its own lies below a usual least; None where it does not."""
        estimate, rule = self.results.estimates.get(path), self.rule(path)
        if estimate is None or (rule is not None and rule.minimum is not None):
            return None
        beyond, margin = least - estimate.value, COVERAGE * estimate.u
        return None if beyond <= margin else LIKELY

    def right(self, path: str) -> bool:
        """Whether a result is surely between its limits."""
        found = self.side_of_limits(path)
        return found is not None and found[0] == 0

    def told(self, path: str) -> Estimate | None:
        """A result that differs from zero by more than the readings can be wrong."""
        estimate = self.results.estimates.get(path)
        return estimate if estimate is not None and abs(estimate.value) > COVERAGE * estimate.u else None

    def name(self, axle: int) -> str:
        """An axle within a sentence: "the rear axle", "axle 3"."""
        name = the_axle(self.vehicle, axle)
        return name if name.startswith("axle") else f"{name} axle"

    def adjustable(self, axle: int, *quantities: str) -> bool:
        """Whether something adjusts one of these quantities of an axle, or of its wheels."""
        at = f"axles/{axle}"
        paths = {f"{at}/{place}{quantity}" for quantity in quantities for place in ("", "left/", "right/")}
        return bool(paths & self.adjusts)

    def reason(self, path: str) -> str:
        """A result as a reason: "left front camber is 1.25° leaning in"."""
        estimate = self.results.estimates[path]
        assert estimate is not None  # noqa: S101 - a rule gives as reason only what it has looked at
        return f"{say_path(self.vehicle, path)} is {say(quantity_of(path), estimate.value)}"


@dataclass(frozen=True)
class Finding:
    """A proposed cause: ``sure`` is ``likely`` or ``possible``; ``reasons`` say why, ``confirm`` what would settle it.

    ``about`` tells it from the rule's other findings (which cause, where); with the rule's it makes the ``code``. ``left`` says
    what comes of it if it is left: which edge of which tyre wears, which way it pulls. A ``first`` one is looked at before any
    angle is believed.
    """

    rule: str
    about: str
    cause: str
    sure: str
    reasons: tuple[str, ...]
    confirm: str
    left: str = ""
    first: bool = False

    @property
    def code(self) -> str:
        """What names this finding, whatever its words."""
        return f"{self.rule}/{self.about}"

    def say(self) -> str:
        """The finding as sentences."""
        start = "Likely" if self.sure == LIKELY else "Possibly"
        left = f" Left as it is: {self.left}." if self.left else ""
        confirm = f" To be sure: {self.confirm}." if self.confirm else ""
        return f"{start}: {self.cause}. Because {', and '.join(self.reasons)}.{confirm}{left}"


class DiagnosticRule(ABC):
    """One row of the table of what readings mean."""

    CODE: ClassVar[str]

    @abstractmethod
    def find(self, seen: Evidence) -> Iterator[Finding]:
        """What this rule proposes on the evidence."""

    def finding(
        self, about: str, cause: str, sure: Iterable[str], reasons: Iterable[str], confirm: str, left: str = ""
    ) -> Finding:
        """A finding that is likely only where everything it rests on is."""
        level = LIKELY if all(one == LIKELY for one in sure) else POSSIBLE
        return Finding(self.CODE, about, cause, level, tuple(reasons), confirm, left)
