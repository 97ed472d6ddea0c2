"""What to read next, asked of the core."""

from __future__ import annotations

from typing import Any

from alignment.missing import read_next
from alignment.procedure.walk import stops
from rectaxis.jobs.screens.page import Page
from rectaxis.jobs.screens.readings import chosen


def next_reading(page: Page) -> dict[str, Any]:
    """The next reading in a sentence, the slot of its scale, and the address of its set-up; without one, that all is told."""
    page = chosen(page)
    work, phase = page.work, page.phase
    values = work.setting.held() if page.stage == "set" else work.values(phase)
    stations = work.of_stage(sweep=False)
    # Of readings that tell as much, the one in this set-up: nobody moves the tools for nothing.
    order = sorted(stations, key=lambda station: station.setup != page.setup)
    unread = [s for s in order if not all(field in values.get(s.slot, {}) for field in s.needed)]
    found = read_next(work.results(phase), unread, order)
    if found is None:
        return {"sentence": "Nothing more to read here: what these tools can tell is told.", "slot": "", "query": ""}
    walk = stops(work.core.vehicle, [found.station], found.station.setup, "read")
    fields = [stop.field for stop in walk]
    missing = [field for field in fields if field not in values.get(found.station.slot, {})]
    field = (missing or fields)[0]
    query = "" if found.station.setup == page.setup and not page.sweep else f"?setup={found.station.setup}"
    return {"sentence": found.reason, "slot": f"{phase}/{found.station.slot}/{field}", "query": query, "job": work.job,
            "stage": page.stage}  # fmt: skip
