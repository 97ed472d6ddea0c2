"""The hangings of the tools on which something is read in a stage, and the walk along one of them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from alignment.model.vehicle import axle_name
from alignment.procedure.station import Setup
from alignment.procedure.walk import Stop, say_stop, stops
from rectaxis.stages.page import Page


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
    if page.stage == "set" and page.visit.sets_caster:
        sweeps = (False, True)
    found = []
    for sweep in sweeps:
        numbers = {station.setup for station in page.visit.readings.of_stage(sweep=sweep)}
        for setup in page.visit.snapshot.rig.setups:
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
        return page.visit.readings.missing(page.phase, setup.number, sweep=sweep, without=not_asked(page))
    stale = page.visit.setting.out_of_date
    return sum(len(s.needed) for s in stale if s.setup == setup.number and (s.stage == "roll") == sweep)


def not_asked(page: Page) -> frozenset[str]:
    """The slots of stations that need not be read again in this stage."""
    return page.visit.setting.not_asked if page.stage in ("set", "prove") else frozenset()


_FEW = 2
"""So many set-ups have room for their whole titles beside each other."""


def _tab_title(page: Page, setup: Setup, *, sweep: bool) -> str:
    """The set-up's own title where there are few; else which axle, and on to which. A sweep is of an axle."""
    if sweep:
        return f"Sweep {axle_name(page.visit.snapshot.vehicle, setup.heads)}"
    return setup_name(page, setup)


def setup_name(page: Page, setup: Setup) -> str:
    """What a hanging is called among the others: its own title where two kits hang at one axle."""
    name = _by_axle(page, setup)
    alike = [one for one in page.visit.snapshot.rig.setups if _by_axle(page, one) == name]
    return name if len(alike) == 1 else setup.short or setup.title


def _by_axle(page: Page, setup: Setup) -> str:
    vehicle = page.visit.snapshot.vehicle
    if setup.short or len(page.visit.snapshot.rig.setups) <= _FEW:
        return setup.short or setup.title
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


def setup_of(page: Page) -> Setup | None:
    """The hanging that the page shows; None where there is none."""
    return next((setup for setup in page.visit.snapshot.rig.setups if setup.number == page.setup), None)


def walked(page: Page, setup: Setup | None) -> list[tuple[Stop, str]]:
    """The stops of the page's walk, each with its words."""
    if setup is None:
        return []
    vehicle, stations = page.visit.snapshot.vehicle, page.visit.readings.of_stage(sweep=page.sweep)
    return [
        (stop, say_stop(vehicle, stop))
        for stop in stops(vehicle, stations, setup.number, "roll" if page.sweep else "read")
    ]


def move_on(there: list[Tab]) -> Tab | None:
    """The next hanging on which something is still to read, once all of this one is."""
    at = next((index for index, tab in enumerate(there) if tab.current), None)
    if at is None or there[at].left:
        return None
    return next((tab for tab in (*there[at + 1 :], *there[:at]) if tab.left), None)
