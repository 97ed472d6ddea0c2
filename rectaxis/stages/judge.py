"""Judge: what the readings mean, what may be the cause, what adjusts here, and what to set it to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from alignment.adjust.reach import say_what_adjusts
from alignment.judge.diagnose import Finding, diagnose
from alignment.judge.results import PhaseResults
from alignment.procedure.references import Consequence, consequences
from alignment.procedure.schools import SCHOOLS, say_order
from rectaxis.drawing.consequence import RoadDrawn, road
from rectaxis.record.slot import REFERENCE, SCHOOL, Opinion, Phase
from rectaxis.stages.page import Page
from rectaxis.stages.solved import solved
from rectaxis.visit.decisions import OPINIONS
from rectaxis.visit.figures import better_fit
from rectaxis.visit.visit import Visit


@dataclass(frozen=True)
class FindingShown:
    """A proposed cause, and what the technician says to it."""

    slot: str
    finding: Finding
    answer: str


@dataclass(frozen=True)
class Choice:
    """A thing to choose, with its reason and what comes of it."""

    code: str
    title: str
    text: str
    said: str
    chosen: bool
    possible: bool = True
    road: RoadDrawn | None = None


def judge_page(page: Page) -> dict[str, Any]:
    """What the readings mean, what may be the cause, what adjusts here, and what to set it to."""
    visit = page.visit
    results = visit.results(Phase.BEFORE)
    return {
        **solved(page, results),
        "findings": _findings(visit, results),
        "opinions": OPINIONS,
        "reference_slot": str(REFERENCE),
        "school_slot": str(SCHOOL),
        "adjusts": say_what_adjusts(results, visit.hardware),
        "references": _references(page, results),
        "schools": _schools(visit),
        "setup": None,
        "untold": visit.snapshot.untold,
        "better": better_fit(visit),
    }


def _findings(visit: Visit, results: PhaseResults) -> list[FindingShown]:
    found = []
    for finding in diagnose(visit.decisions.evidence(results)):
        slot = str(Opinion(finding.code))
        found.append(FindingShown(slot, finding, visit.journal.answer(slot)))
    return found


def _references(page: Page, results: PhaseResults) -> list[Choice]:
    visit = page.visit
    adjustable = set(visit.decisions.adjustable)

    def shown(one: Consequence) -> Choice:
        drawn = road(one)
        return Choice(
            one.code,
            one.title,
            one.text,
            one.say(page.style),
            one.code == visit.decisions.reference,
            one.possible,
            drawn,
        )

    return [shown(one) for one in consequences(results, adjustable, visit.snapshot.layout.steering_ratio)]


def _schools(visit: Visit) -> list[Choice]:
    """The orders that differ on this vehicle, each with its reason."""
    vehicle, seen = visit.snapshot.vehicle, {}
    for school in SCHOOLS.values():
        order = tuple(school.order(vehicle))
        if order not in seen or school is visit.decisions.school:
            seen[order] = school
    return [
        Choice(s.code, s.title[0].upper() + s.title[1:], say_order(vehicle, s), s.reason, s is visit.decisions.school)
        for s in seen.values()
    ]
