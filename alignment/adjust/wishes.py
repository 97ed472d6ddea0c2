"""What a plan aims at besides the specification's bounds: the reference, the middle of a range, the lean to toe-in, and
room for what the readings cannot tell.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.hardware import Hardware
from alignment.adjust.hardware.base import CHEAP
from alignment.judge.leaning import against_gravity
from alignment.judge.results import PhaseResults, quantity_of
from alignment.judge.verdict import COVERAGE, Rule, decide
from alignment.model.vehicle import Vehicle
from alignment.quantities import WHEELS_OF_TOE

AIMS = {
    "preferred": ("Nearest to what is preferred", "Rods cost nothing once you lie under them; shims and plates do."),
    "fewest": ("The fewest moves", "What is inside is left alone: quicker, and further from the preferred values."),
}
"""What a plan goes for, in words, with when to choose it."""
_MOST_GUARD = 0.5
"""Of half a row's width, what may be kept free for what the readings cannot tell."""


@dataclass(frozen=True)
class Wishes:
    """What the technician wants of a plan.

    ``reference`` is one of the schools' REFERENCES, ``aim`` one of AIMS. ``lean_in`` sets toe to the slightly toe-in side,
    never negative, within its limits. ``straight`` brings the steering wheel straight, also where no figure asks for it.
    """

    reference: str = "all"
    aim: str = "preferred"
    lean_in: bool = False
    straight: bool = True

    def rules(self, results: PhaseResults, *, keep_inside: bool = False) -> tuple[Rule, ...]:
        """The rules to plan by, from the specification that the results were judged by.

        With ``keep_inside`` what is surely inside now is to stay surely inside.
        """
        rules = [self._leaning(_with_middle(rule)) for rule in self._referred(results)]
        return tuple(_guarded(rule, results, keep_inside=keep_inside) for rule in rules)

    def _referred(self, results: PhaseResults) -> list[Rule]:
        """The specification's rows, and those that the reference adds or leaves out."""
        vehicle = results.solution.layout.vehicle
        rules = list(results.rules)
        if not any(results.value(rule.path) is not None for rule in rules):
            # Nothing that is judged is known, so there is nothing to set it by.
            return rules
        given = {rule.path for rule in rules}
        left_out = {"centre": {"steer_ahead_deg"}, "thrust": {"thrust_angle_deg"}}.get(self.reference, set())
        if not self.straight:
            left_out = left_out | {"steer_ahead_deg"}
        kept = [rule for rule in rules if rule.path not in left_out]
        lines = [rule for rule in _lines(vehicle, self.reference, rules) if rule.path not in given]
        return kept + [rule for rule in lines if self.straight or not _steers(vehicle, rule)]

    def _leaning(self, rule: Rule) -> Rule:
        if not (self.lean_in and rule.quantity in WHEELS_OF_TOE):
            return rule
        low = max(rule.minimum or 0.0, 0.0)
        if rule.maximum is None or rule.maximum < low:
            return rule
        return replace(rule, minimum=low, preferred=low + 0.75 * (rule.maximum - low))

    def adjusters(self, results: PhaseResults, hardware: Iterable[Hardware]) -> list[Hardware]:
        """What may be moved. To the thrust line, the thrust axle's heading stays as it is; and nothing leans a wheel or its
        axis where no figure says how it should lean.
        """
        judged = {rule.path for rule in results.rules}
        thrust = results.solution.layout.vehicle.thrust_axle
        return [
            one for one in hardware
            if _is_judged(one.adjuster(), judged)
            and not (self.reference == "thrust" and one.axle == thrust and _turns(one.adjuster()))
        ]  # fmt: skip

    def cost(self, adjuster: Adjuster, *, moved: bool) -> float:
        """What moving an adjuster counts. One that was ``moved`` before is not taken up again for what is inside already."""
        return 0.0 if self.aim == "preferred" and adjuster.cost <= CHEAP and not moved else adjuster.cost


def _is_judged(adjuster: Adjuster, judged: Collection[str]) -> bool:
    leans = [path for path in adjuster.names if path.endswith(_LEANS)]
    cross = [f"{path.split('/')[0]}/{path.split('/')[1]}/cross_{quantity_of(path)}" for path in leans]
    moved = (*leans, *cross, *map(against_gravity, (*leans, *cross)))
    return not leans or any(path in judged for path in moved)


_LEANS = ("camber_deg", "caster_deg", "sai_deg")


STRAIGHT_DEG = 0.1
"""How far the front may point from where the rear pushes where no figure says so: a degree and a half of a usual steering
wheel; common practice, no source.
"""


def _steers(vehicle: Vehicle, rule: Rule) -> bool:
    """Whether a row is about where the front points."""
    first = vehicle.first_steered
    return rule.quantity == "steer_ahead_deg" or (
        first is not None and rule.quantity == "bearing_deg" and rule.axle == first.number
    )


def _turns(adjuster: Adjuster) -> bool:
    return any(path.endswith(("toe_deg", "bearing_deg")) for path in adjuster.names)


def _lines(vehicle: Vehicle, reference: str, rules: Sequence[Rule]) -> list[Rule]:
    """Rows that put the axles on the reference's line, and the steering wheel straight."""
    first, found = vehicle.first_steered, []
    straight = Rule("steer_ahead_deg", minimum=-STRAIGHT_DEG, maximum=STRAIGHT_DEG, preferred=0.0)
    if vehicle.thrust_axle is not None and first is not None:
        if reference == "centre":
            # To the centre line, the bounds that the figures give for steer ahead are those of the front's own heading.
            ahead = next((rule for rule in rules if rule.path == "steer_ahead_deg"), straight)
            found.append(replace(ahead, quantity="bearing_deg", axle=first.number, preferred=0.0))
        else:
            found.append(straight)
    if vehicle.thrust_axle is not None and reference == "all":
        found.append(Rule("thrust_angle_deg", preferred=0.0))
    found += [Rule("parallelism_deg", axles=pair, preferred=0.0) for pair in vehicle.steered_pairs]
    return found + [Rule("scrub_deg", axles=pair, preferred=0.0) for pair in vehicle.fixed_pairs]


def _with_middle(rule: Rule) -> Rule:
    """A row without a preferred value prefers the middle of its range."""
    if rule.preferred is not None or rule.minimum is None or rule.maximum is None:
        return rule
    return replace(rule, preferred=(rule.minimum + rule.maximum) / 2)


def _guarded(rule: Rule, results: PhaseResults, *, keep_inside: bool) -> Rule:
    """A row narrowed by what the readings cannot tell, so that what is planned inside can be said to be inside."""
    estimate = results.estimates.get(rule.path)
    if estimate is None or rule.minimum is None or rule.maximum is None:
        return rule
    guard = COVERAGE * estimate.u
    if not (keep_inside and decide(estimate, rule.minimum, rule.maximum) == "inside"):
        guard = min(guard, _MOST_GUARD * (rule.maximum - rule.minimum) / 2)
    low, high = rule.minimum + guard, rule.maximum - guard
    near = None if rule.preferred is None else min(max(rule.preferred, low), high)
    return replace(rule, minimum=low, maximum=high, preferred=near)
