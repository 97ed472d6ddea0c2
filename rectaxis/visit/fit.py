"""What a report says first of a visit: whether the alignment was and is in order, and what leaving it so costs."""

from __future__ import annotations

from collections.abc import Sequence

from alignment.judge.fitness import fitness
from alignment.judge.wear import Assumptions, cost_of_leaving, slips
from alignment.procedure.checklist import UNSAFE, answered
from alignment.words.front import say_cost, say_fitness, say_head
from rectaxis.drawing.strips import Judged
from rectaxis.record.seal import Fit, Leaving
from rectaxis.record.slot import SEALED, Phase
from rectaxis.visit.visit import Visit


def found_and_left(visit: Visit, rows: Sequence[Judged]) -> tuple[Fit | None, Fit | None]:
    """As found and as left; each None while nothing of it is sealed and nothing is unsafe. ``rows`` are the newest phase's."""
    unsafe = bool(answered(list(visit.snapshot.question.values()), visit.journal.answers, UNSAFE))
    after = Phase.AFTER in visit.journal.seals
    found = _fit([row.earlier_verdict if after else row.verdict for row in rows], unsafe=unsafe)
    return found, _fit([row.stands for row in rows], unsafe=unsafe) if after else None


def _fit(verdicts: Sequence[str], *, unsafe: bool) -> Fit | None:
    if not verdicts and not unsafe:
        return None
    found = fitness(verdicts, unsafe=unsafe)
    return Fit(found.code, say_head(found), say_fitness(found))


def leaving(visit: Visit) -> Leaving | None:
    """What leaving it as it now is costs; None where no side slip is known."""
    newest = next((phase for phase in reversed(SEALED) if phase in visit.journal.seals), None)
    if newest is None:
        return None
    assumed = Assumptions()
    lines = say_cost(visit.snapshot.vehicle, cost_of_leaving(slips(visit.results(newest)), assumed))
    return Leaving(tuple(lines), tuple(assumed.say())) if lines else None
