"""The plan drawing as a form, with strips and say-back: for rolling, reading, setting and proving."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from alignment.procedure.cautions import cautions
from alignment.procedure.station import Setup
from alignment.procedure.walk import Stop, say_stop, stops
from alignment.quantities import QUANTITIES, say, say_size
from alignment.results import PhaseResults, suspicions
from alignment.sayback import say_back
from alignment.vehicle import SIDES, axle_name
from alignment.verdict import COVERAGE
from rectaxis.drawing.plan import PlanMaker
from rectaxis.drawing.rulers import Marks
from rectaxis.drawing.strips import strip_groups
from rectaxis.jobs.screens.page import Page
from rectaxis.jobs.work import Typed, Work

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


@dataclass(frozen=True)
class Tab:
    """One hanging of the tools, or the sweep on it: its title, its address, and how much is still to read there."""

    title: str
    query: str
    setup: Setup | None
    sweep: bool
    left: int
    current: bool


def tabs(page: Page) -> list[Tab]:
    """The hangings on which something is read in this stage, in working order."""
    sweeps = {"roll": (True,), "prove": (False, True)}.get(page.stage, (False,))
    if page.stage == "set" and page.work.sets_caster:
        sweeps = (False, True)
    found = []
    for sweep in sweeps:
        numbers = {station.setup for station in page.work.of_stage(sweep=sweep)}
        for setup in page.work.setups:
            if setup.number in numbers:
                title = _tab_title(page, setup, sweep=sweep)
                query = f"?setup={setup.number}" + ("&sweep=1" if sweep else "")
                left = _left(page, setup, sweep=sweep)
                here = (page.setup, page.sweep) == (setup.number, sweep)
                found.append(Tab(title, query, setup, sweep, left, here))
    return found


def _left(page: Page, setup: Setup, *, sweep: bool) -> int:
    """How many numbers are still to read on a hanging; while setting, to read again."""
    if page.stage != "set":
        return page.work.missing(page.phase, setup.number, sweep=sweep)
    stale = page.work.setting.out_of_date
    return sum(len(s.needed) for s in stale if s.setup == setup.number and (s.stage == "roll") == sweep)


_FEW = 2
"""So many set-ups have room for their whole titles beside each other."""


def _tab_title(page: Page, setup: Setup, *, sweep: bool) -> str:
    """The set-up's own title where there are few; else which axle, and on to which."""
    vehicle = page.work.core.vehicle
    if sweep:
        return f"Sweep {axle_name(vehicle, setup.heads)}"
    if len(page.work.setups) <= _FEW:
        return setup.title
    if setup.flags is not None:
        return f"{axle_name(vehicle, setup.heads).capitalize()} on {axle_name(vehicle, setup.flags)}"
    pin = ", king pin" if "king pin" in setup.title else ""
    return f"{axle_name(vehicle, setup.heads).capitalize()}{pin}"


def chosen(page: Page) -> Page:
    """The page with a set-up that there is: the one asked for, else the first on which something is still to read."""
    there = tabs(page)
    if any(tab.current for tab in there) or not there:
        return page
    unread = next((tab for tab in there if tab.left), there[0])
    return replace(page, setup=unread.setup.number if unread.setup else 0, sweep=unread.sweep)


def _setup(page: Page) -> Setup | None:
    return next((setup for setup in page.work.setups if setup.number == page.setup), None)


def walked(page: Page, setup: Setup | None) -> list[tuple[Stop, str]]:
    """The stops of the page's walk, each with its words."""
    if setup is None:
        return []
    vehicle, stations = page.work.core.vehicle, page.work.of_stage(sweep=page.sweep)
    return [
        (stop, say_stop(vehicle, stop))
        for stop in stops(vehicle, stations, setup.number, "roll" if page.sweep else "read")
    ]


def _suspect_stations(work: Work, results: PhaseResults) -> Iterable[str]:
    readings = results.solution.readings
    guilty = {index for suspect in results.suspects for index in (suspect.reading, *suspect.alike)}
    data = [readings[index].data for index in guilty]
    return [s.slot for s in work.stations if any(work.is_of(s, one) for one in data)]


def readings_page(
    page: Page, targets: Mapping[str, float] | None = None, values: Mapping[str, Typed] | None = None
) -> dict[str, Any]:
    """The plan drawing as a form, with what is solved from it. ``targets`` are what scales must show, by their slots."""
    page = chosen(page)
    work, phase, setup = page.work, page.phase, _setup(page)
    results = work.results(phase)
    values = work.current if values is None else values
    maker = PlanMaker(work.core.vehicle, setup, walked(page, setup), phase, work.look)
    marks = Marks(targets or {}, frozenset(_suspect_stations(work, results)))
    there = tabs(page)
    return {
        **solved(page, results),
        "current": values,
        "pad_keys": PAD_KEYS,
        "plan": maker.draw(results, values, marks, page.style),
        "tabs": there,
        "setup": setup,
        "sweep": page.sweep,
        "cautions": cautions("sweep" if page.sweep else page.stage, light=work.light),
        "here": f"?setup={page.setup}" + ("&sweep=1" if page.sweep else ""),
        "move_on": _move_on(there),
    }


def solved(page: Page, results: PhaseResults) -> dict[str, Any]:
    """What is solved, in strips, sentences and a table."""
    work, phase = page.work, page.phase
    rows = work.job.specification["rows"]
    earlier = work.seals["before"].results["verdicts"] if phase != "before" and "before" in work.seals else ()
    return {
        "phase": phase,
        "strips": strip_groups(work.core.vehicle, results.verdicts, rows, earlier, page.style),
        "sentences": say_back(results, page.style, work.steering_ratio),
        "sealed": phase in work.seals,
        "suspects": suspicions(results.solution, results.suspects),
        "redundancy": results.solution.redundancy,
        "results": results,
        "table": results_table(page, results),
        "toe_only": work.toe_only,
    }


def _move_on(there: list[Tab]) -> Tab | None:
    """The next hanging on which something is still to read, once all of this one is."""
    at = next((index for index, tab in enumerate(there) if tab.current), None)
    if at is None or there[at].left:
        return None
    return next((tab for tab in (*there[at + 1 :], *there[:at]) if tab.left), None)


@dataclass(frozen=True)
class TableRow:
    """One result in words: the text equivalent of the drawing."""

    name: str
    text: str
    doubt: str


def results_table(page: Page, results: PhaseResults) -> list[TableRow]:
    """Every determined result in words."""
    vehicle, rows = page.work.core.vehicle, []
    for path, estimate in results.estimates.items():
        parts = path.split("/")
        quantity = parts[-1] if parts[0] == "axles" else parts[0]
        if estimate is None or estimate.u == 0:
            continue
        name = QUANTITIES[quantity].label
        if parts[0] == "axles":
            side = f"{parts[2]} " if parts[2] in SIDES else ""
            name = f"{axle_name(vehicle, int(parts[1]))} {side}{name}"
        rows.append(
            TableRow(
                name, say(quantity, estimate.value, page.style), say_size(quantity, COVERAGE * estimate.u, page.style)
            )
        )
    return rows
