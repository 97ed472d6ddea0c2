"""Prove: the after, scale by scale; what shows the same as when it was read last is confirmed and not typed again."""

from __future__ import annotations

from typing import Any

from rectaxis.stages.page import Page
from rectaxis.stages.read import read_page
from rectaxis.stages.tabs import chosen


def prove_page(page: Page) -> dict[str, Any]:
    """The plan drawing as a form, with marks where the scales showed something last that can be confirmed."""
    page = chosen(page)
    confirming = page.visit.confirming
    offered = confirming.offered(page.setup, sweep=page.sweep)
    marks = {f"{s.slot}/{field}": value for s, values in offered for field, value in values.items()}
    taken = {station.slot for station in confirming.confirmed if station.setup == page.setup}
    return {
        **read_page(page, marks),
        "offered": len(marks),
        "confirmed": sum(len(s.fields) for s in page.visit.readings.of_stage(sweep=page.sweep) if s.slot in taken),
        "sweep_shown": page.sweep,
        "setup_number": page.setup,
        "aim_word": "It last showed",
    }
