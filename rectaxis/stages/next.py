"""What to read next, asked of the core."""

from __future__ import annotations

from typing import Any

from alignment.procedure.missing import read_next
from alignment.procedure.walk import stops
from rectaxis.record.snapshot import scale
from rectaxis.stages.page import Page
from rectaxis.stages.tabs import chosen, not_asked


def next_reading(page: Page) -> dict[str, Any]:
    """The next reading in a sentence, the slot of its scale, and the address of its set-up; without one, that all is told."""
    page = chosen(page)
    visit, phase = page.visit, page.phase
    values = visit.setting.held() if page.stage == "set" else visit.readings.values(phase)
    stations = [s for s in visit.readings.of_stage(sweep=False) if s.slot not in not_asked(page)]
    # Of readings that tell as much, the one in this set-up: nobody moves the tools for nothing.
    order = sorted(stations, key=lambda station: station.setup != page.setup)
    unread = [s for s in order if not all(field in values.get(s.slot, {}) for field in s.needed)]
    found = read_next(visit.results(phase), unread, order)
    if found is None:
        return {"sentence": "Nothing more to read here: what these tools can tell is told.", "slot": "", "query": ""}
    walk = stops(visit.snapshot.vehicle, [found.station], found.station.setup, "read")
    fields = [stop.field for stop in walk]
    missing = [field for field in fields if field not in values.get(found.station.slot, {})]
    field = (missing or fields)[0]
    query = "" if found.station.setup == page.setup and not page.sweep else f"?setup={found.station.setup}"
    return {"sentence": found.reason, "slot": str(scale(phase, found.station, field)), "query": query, "job": visit.job,
            "stage": page.stage}  # fmt: skip
