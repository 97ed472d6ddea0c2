"""Which scales are worth reading again once something was moved."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from alignment.adjust.standing import result_changes
from alignment.judge.results import PhaseResults
from alignment.judge.why import leant_on

SPOKEN_OF = ("thrust_angle_deg", "steer_ahead_deg")
"""Results that are said whether or not figures judge them: how the vehicle runs, and how its steering wheel will sit."""


def worth_reading_again(before: PhaseResults, moves: Iterable[Mapping[str, float]]) -> frozenset[int]:
    """The readings of ``before``, by index, that a result leans on which is judged, spoken of or changed by ``moves``.

    A move is given by its effect: by path, degrees and millimetres. A scale may show another number after a move and still
    say nothing new: a setback scale square to a wheel follows its toe, and toe does not set an axle back.
    """
    changed = {path for effect in moves for path in result_changes(before.solution.layout, effect)}
    return leant_on(before, {rule.path for rule in before.rules} | set(SPOKEN_OF) | changed)
