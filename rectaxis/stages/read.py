"""Read and Prove: the plan drawing as a form, with what is solved from it. Rolling and setting show it too."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import partial
from typing import Any
from urllib.parse import quote

from alignment.judge.results import PhaseResults
from alignment.procedure.steps import cautions
from alignment.procedure.walk import Stop
from rectaxis.drawing.plan import PlanMaker
from rectaxis.drawing.rulers import Marks
from rectaxis.record.slot import SEALED, Phase
from rectaxis.record.snapshot import is_of, looks_at
from rectaxis.stages.devices import devices_where_shown
from rectaxis.stages.page import Page, current_rows
from rectaxis.stages.solved import solved
from rectaxis.stages.tabs import Tab, chosen, move_on, not_asked, setup_of, tabs, walked
from rectaxis.stages.why import why_shown
from rectaxis.visit.readings import Typed
from rectaxis.visit.visit import Visit

PAD_KEYS = (
    *(("7", "", "7"), ("8", "", "8"), ("9", "", "9"), ("/", "fraction", "a/b")),
    *(("4", "", "4"), ("5", "", "5"), ("6", "", "6"), ("°", "degrees", "°")),
    *(("1", "", "1"), ("2", "", "2"), ("3", "", "3"), ("'", "minutes", "′")),
    *(("sign", "other sign", "+/−"), ("0", "", "0"), (".", "point", "."), ("back", "delete the last", "⌫")),
    *(
        (" ", "space", "space"),
        (" cm", "centimetres", "cm"),
        (" in", "inches", "in"),
        ("enter", "save and go on", "next"),
    ),
)
"""The number pad: what a key types, its name where its face does not say it, its face."""


def _suspect_stations(visit: Visit, results: PhaseResults) -> Iterable[str]:
    readings = results.solution.readings
    guilty = {index for suspect in results.suspects for index in (suspect.reading, *suspect.alike)}
    data = [readings[index].data for index in guilty]
    return [s.slot for s in visit.readings.stations if any(is_of(s, one) for one in data)]


def _slots(phase: Phase, stop: Stop) -> list[str]:
    """The slots of the looks at a scale; while setting each is looked at once."""
    looks = [str(slot) for slot in looks_at(phase, stop.station, stop.field)]
    return looks if phase in SEALED else looks[:1]


def _rolls_first(page: Page, tab: Tab | None) -> bool:
    """Whether the heads, once they hang at the next axle, are rolled there before they are read."""
    if tab is None or tab.setup is None or page.stage != "read" or page.visit.snapshot.rig.goes != "axles":
        return False
    return any(part.code.startswith(f"{tab.setup.heads}/") for part in page.visit.progress.facts.clamps_open)


def read_page(
    page: Page, targets: Mapping[str, float] | None = None, values: Mapping[str, Typed] | None = None
) -> dict[str, Any]:
    """The plan drawing as a form, with what is solved from it. ``targets`` are what scales must show, by their slots."""
    page = chosen(page)
    visit, phase, setup = page.visit, page.phase, setup_of(page)
    results = visit.results(phase)
    values = visit.readings.current if values is None else values
    maker = PlanMaker(visit.snapshot.vehicle, setup, walked(page, setup), partial(_slots, phase), visit.snapshot.look)
    asked = why_shown(page, results)
    marks = Marks(targets or {}, frozenset(_suspect_stations(visit, results)), asked.shares if asked else {},
                  not_asked(page))  # fmt: skip
    there = tabs(page)
    # Where nothing hangs on the wheels nothing shines.
    hung = setup is None or setup.piece or setup.other
    about = visit.about if hung else visit.about._replace(light=False)
    return {
        **solved(page, results),
        "current": current_rows(visit, values),
        "devices": devices_where_shown(visit.job),
        "verdicts": ("inside", "outside", "undecided"),
        "pad_keys": PAD_KEYS,
        "plan": maker.draw(results, values, marks, page.style),
        "tabs": there,
        "setup": setup,
        "sweep": page.sweep,
        "aim_word": "It should come to",
        "cautions": cautions("sweep" if page.sweep else page.stage, about),
        "why": asked,
        "here": f"?setup={page.setup}"
        + ("&sweep=1" if page.sweep else "")
        + (f"&why={quote(page.why)}" if page.why else ""),
        "move_on": move_on(there),
        "roll_first": _rolls_first(page, move_on(there)),
    }
