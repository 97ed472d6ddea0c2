"""What somebody does on a day, in its order: the ways and visits as they are planned, and what stands beside that."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from planning.moved import laid_out, why_not
from rectaxis.rounds.board import Block, Board
from rectaxis.rounds.gather import Gathered
from rectaxis.rounds.models import Crew
from rectaxis.rounds.shown import shown_plan


@dataclass(frozen=True)
class Sheet:
    """One technician's day: ``outs`` laid out with their ways, visits ``beside`` them (begun, done, or in no order that can be done), and
    ``faults`` in sentences.
    """

    crew: Crew
    outs: list[dict[str, Any]]
    beside: list[Block]
    faults: list[str]


def sheet_of(crew: Crew, board: Board, found: Gathered) -> Sheet:
    """The sheet of a board of one day."""
    (row,) = (row for row in board.rows if row.crew == crew)
    technician, days = str(crew.person_id), found.days
    plan = laid_out(days, technician, row.day)
    outs = shown_plan(plan.plain(), days)["outs"] if plan is not None else []
    laid = {stop.visit for out in plan.turns for stop in out.stops} if plan is not None else set()
    beside = [block for block in row.blocks if block.key not in laid]
    faults = [
        *why_not(days, technician, row.day),
        *(found.unplaced[one.key] for one in beside if one.key in found.unplaced),
    ]
    return Sheet(crew, outs, beside, faults)
