"""Advice for one axle: where it should end, what is still to be turned, and what each scale must then show."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from alignment.adjust.rods import RodMove, Target, TieRod, moves_for, target_for
from alignment.adjust.see import WheelTurn, must_show, state_after
from alignment.results import PhaseResults
from alignment.verdict import Rule

NO_CHANGE = 1e-6
"""A scale that moves by less, in its own unit, does not answer to a turn."""


@dataclass(frozen=True)
class AxleAdvice:
    """What to do on one axle.

    ``moves`` are the turns still to make. ``shows`` gives, by index of the reading, the measured fields that answer to
    the turns, as they must stand at the end. ``waiting`` where a rod was turned and its scales are not read again.
    """

    axle: int
    target: Target
    moves: tuple[RodMove, ...]
    shows: Mapping[int, Mapping[str, float]]
    waiting: bool

    @property
    def settled(self) -> bool:
        """Whether nothing is left to turn and everything is read."""
        return not self.waiting and not any(move.flats for move in self.moves)


def advise(
    results: PhaseResults,
    rules: tuple[Rule, ...],
    rods: tuple[TieRod, ...],
    axle: int,
    turned: Sequence[WheelTurn] = (),
    reference: str = "all",
) -> AxleAdvice | None:
    """Advice for an axle from the results of the newest full reading and what was ``turned`` on it since.

    ``reference`` is what the front is set to, as in the schools' REFERENCES.

    None where the wheels' toe is not determined, or nothing says where it should be.
    """
    if results.value(f"axles/{axle}/left/toe_deg") is None:
        return None
    target = target_for(results, rules, axle, reference)
    if target is None:
        return None
    moves = moves_for(state_after(results.solution, turned), rods, target)
    readings = results.solution.readings
    before = must_show(results.solution.state, readings)
    after = must_show(state_after(results.solution, [*turned, *(move.as_turn() for move in moves)]), readings)
    shows = {}
    for was, will in zip(before, after, strict=True):
        numbers = {k: v for k, v in will.items() if k != "reading" and isinstance(v, float)}
        shows[will["reading"]] = {k: v for k, v in numbers.items() if abs(v - was[k]) > NO_CHANGE}
    return AxleAdvice(axle, target, tuple(moves), shows, waiting=bool(turned))
