"""How a vehicle stands in the middle of being set: what is read now, and what was read before a move and is not read again.

A move puts readings out of date. Until they are read again, what they told is carried on: the old value with what the move
is believed to have changed, and with the doubt of that.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from types import MappingProxyType
from typing import NamedTuple

from alignment.adjust.effects import change_for
from alignment.adjust.plan import change_of
from alignment.adjust.see import answering, state_after
from alignment.estimate.solve import Estimate
from alignment.judge.results import PhaseResults, quantity_of, results_of
from alignment.model.state import Layout, State
from alignment.readings import Reading

Effect = Mapping[str, float]


class Made(NamedTuple):
    """A move made: what it is believed to have changed, by path of an effect, and how badly that is known, as a share; and
    ``aside`` what it may have changed besides, as a standard uncertainty by path of an effect.
    """

    effect: Effect
    doubt: float = 0.0
    aside: Effect = MappingProxyType({})


class Moment(NamedTuple):
    """What the readings that held at one time tell, and the moves made since, in their order."""

    results: PhaseResults
    since: tuple[Made, ...] = ()


def aside(effect: Effect, toe_u: float) -> dict[str, float]:
    """What a move may have changed besides its effect, as a standard uncertainty by path: the toe that comes with camber, which
    is known to ``toe_u`` degrees for each degree.
    """
    wheels = {path.rpartition("/")[0]: size for path, size in effect.items() if path.endswith("/camber_deg")}
    return {f"{wheel}/toe_deg": abs(size) * toe_u for wheel, size in wheels.items()} if toe_u else {}


def result_changes(layout: Layout, effect: Effect) -> dict[str, float]:
    """By how much an effect changes each result, degrees and millimetres; results that it leaves alone are not named."""
    slopes = change_for(layout, effect).slopes(State(layout))
    changes = {path: change_of(r.combination, slopes, quantity_of(path)) for path, r in results_of(layout).items()}
    return {path: change for path, change in changes.items() if change}


@dataclass(frozen=True)
class Standing:
    """Moments of setting, the newest first."""

    moments: Sequence[Moment]

    @property
    def now(self) -> PhaseResults:
        """The results of what is read now, alone."""
        return self.moments[0].results

    @cached_property
    def results(self) -> PhaseResults:
        """The results as they must stand: read where they are, carried on where a move put them out of date."""
        estimates = dict(self.now.estimates)
        for path, estimate in self.now.estimates.items():
            if estimate is None:
                estimates[path] = next(self._carried(path), None)
        return replace(self.now, estimates=estimates)

    @property
    def waiting(self) -> frozenset[str]:
        """Results that are carried on: their scales are to be read again."""
        return frozenset(path for path, e in self.results.estimates.items() if e and self.now.estimates[path] is None)

    def _carried(self, path: str) -> Iterator[Estimate]:
        for moment in self.moments[1:]:
            estimate = moment.results.estimates.get(path)
            if estimate is None:
                continue
            value, variance = estimate.value, estimate.u**2
            for made in moment.since:
                layout = moment.results.solution.layout
                change = result_changes(layout, made.effect).get(path, 0.0)
                value += change
                variance += (made.doubt * change) ** 2
                variance += sum(result_changes(layout, {at: u}).get(path, 0.0) ** 2 for at, u in made.aside.items())
            yield Estimate(value, math.sqrt(variance))

    def scales(self, effects: Sequence[Effect] = ()) -> Iterator[tuple[Reading, dict[str, float]]]:
        """Each reading whose scales answer to what was moved since it was read, or will answer to ``effects``, with the
        numbers that it must show then. What was read more than once counts as it was read last.
        """
        seen: set[object] = set()
        for moment in self.moments:
            solution = moment.results.solution
            moved = state_after(solution.state, [*(made.effect for made in moment.since), *effects])
            answers = answering(solution.state, moved, solution.readings)
            for index, reading in enumerate(solution.readings):
                place = reading.key, reading.side
                if place not in seen and index in answers:
                    yield reading, answers[index]
                seen.add(place)
