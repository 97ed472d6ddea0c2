"""What is solved, in strips, sentences and a table: for every stage that shows it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from alignment.judge.results import PhaseResults, quantity_of, say_path, suspicions
from alignment.judge.verdict import COVERAGE
from alignment.quantities import say, say_size
from alignment.words.sayback import say_back
from rectaxis.drawing.strips import strip_groups
from rectaxis.record.slot import Phase
from rectaxis.stages.page import Page
from rectaxis.stages.why import why_shown
from rectaxis.visit.judged import judged, path_of


def solved(page: Page, results: PhaseResults) -> dict[str, Any]:
    """What is solved, in strips, sentences and a table."""
    visit, phase = page.visit, page.phase
    before = visit.journal.seals.get(Phase.BEFORE) if phase != Phase.BEFORE else None
    earlier: Sequence[Mapping[str, Any]] = before.results["verdicts"] if before is not None else ()
    if phase == Phase.BEFORE and page.stage == "judge":
        last = visit.last.values
        earlier = [{"value": last.get(path_of(verdict))} for verdict in results.verdicts] if last else ()
    moved = visit.changed_paths() if before is not None else ()
    rows = judged(visit.snapshot.vehicle, results.verdicts, visit.snapshot.rows, earlier, [page.style], moved)
    return {
        "phase": phase,
        "strips": strip_groups(rows, page.style),
        "open_circle": _open_circle(page, shown=any(row.earlier is not None for row in rows)),
        "sentences": say_back(results, page.style, visit.snapshot.layout.steering_ratio),
        "sealed": phase in visit.journal.seals,
        "suspects": suspicions(results.solution, results.suspects),
        "redundancy": results.solution.redundancy,
        "results": results,
        "table": results_table(page, results),
        "toe_only": visit.snapshot.rig.toe_only,
        "why": why_shown(page, results),
        "why_from": f"?setup={page.setup}" + ("&sweep=1" if page.sweep else "") + "&why=",
    }


def _open_circle(page: Page, *, shown: bool) -> str:
    """What the open circles of the strips are; empty where there are none."""
    if not shown:
        return ""
    return f"as left on {page.visit.last.day:%-d %B %Y}" if page.stage == "judge" else "the before"


@dataclass(frozen=True)
class TableRow:
    """One result in words: the text equivalent of the drawing."""

    name: str
    text: str
    doubt: str


def results_table(page: Page, results: PhaseResults) -> list[TableRow]:
    """Every determined result in words."""
    vehicle, rows = page.visit.snapshot.vehicle, []
    for path, estimate in results.estimates.items():
        quantity = quantity_of(path)
        if estimate is None or estimate.u == 0:
            continue
        doubt = say_size(quantity, COVERAGE * estimate.u, page.style)
        rows.append(TableRow(say_path(vehicle, path), say(quantity, estimate.value, page.style), doubt))
    return rows
