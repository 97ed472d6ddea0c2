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
    """The judged results that the move in hand changes, or the last one that nothing was seen of since, what changes most first:
    the path of each, and what it should come to, in words.
    """
    setting = page.visit.setting
    moves = setting.moves
    until = None if step is not None or not moves else moves[-1].sequence
    results = setting.results(until)
    changes = {} if step is None and not moves else _changes(page, step)
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
