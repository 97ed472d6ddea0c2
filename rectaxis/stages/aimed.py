"""What to watch while something is moved and the cameras look on, and what it should come to."""

from __future__ import annotations

from collections.abc import Iterator

from alignment.adjust.advice import Step
from alignment.adjust.standing import result_changes
from alignment.judge.results import quantity_of
from alignment.quantities import say
from rectaxis.stages.page import Page
from rectaxis.visit.judged import path_of


def aimed(page: Page, step: Step | None) -> Iterator[tuple[str, str]]:
    """The path of each judged result that a move changes, and what it should come to, in words; what changes most comes first. The
    move is the one in hand, or else the last one made, until the cameras have seen what it did.
    """
    setting = page.visit.setting
    moves = setting.moves
    if step is None and not (moves and setting.unseen):
        return
    results = setting.results(None if step is not None else moves[-1].sequence)
    changes = _changes(page, step)
    judged = {path_of(verdict) for verdict in results.verdicts}
    for path, by in sorted(changes.items(), key=lambda item: -abs(item[1])):
        estimate = results.estimates.get(path)
        if path in judged and estimate is not None:
            yield path, say(quantity_of(path), estimate.value + by, page.style)


def _changes(page: Page, step: Step | None) -> dict[str, float]:
    if step is not None:
        return dict(step.changes)
    setting = page.visit.setting
    return dict(result_changes(setting.results().solution.layout, setting.moves[-1].effect))
