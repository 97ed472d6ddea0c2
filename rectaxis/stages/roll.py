"""Roll: runout, wheel by wheel; with a set-up chosen, that set-up's sweep."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from alignment.judge.runout import CALCULATED_DEG, ClampError
from alignment.model.vehicle import axle_name
from alignment.procedure.station import Setup, Station
from alignment.speech import side_name
from rectaxis.drawing.clock import Clock, clock
from rectaxis.record.slot import Phase, Trued
from rectaxis.record.snapshot import is_runout, scale
from rectaxis.stages.devices import devices_where_shown
from rectaxis.stages.page import Field, Page
from rectaxis.stages.read import read_page
from rectaxis.stages.tabs import setup_name, tabs
from rectaxis.visit.decisions import KNOBS_TURNED
from rectaxis.visit.visit import Visit


@dataclass(frozen=True)
class ClampShown:
    """One wheel's runout as the page shows it."""

    title: str
    slot: str
    fields: tuple[Field, ...]
    clamp: ClampError | None
    clock: Clock
    side: str


def roll_page(page: Page) -> dict[str, Any]:
    """Runout, wheel by wheel: fields, clock hand, knob advice. With a set-up chosen, that set-up's sweep."""
    visit, rounds = page.visit, rounds_of(page)
    if page.setup and tabs(page) and (page.sweep or not rounds):
        shown = read_page(Page(page.visit, page.person, page.stage, page.setup, sweep=True))
        return {**shown, "fields": [], "shows": "sweep"}
    limit = visit.snapshot.rig.runout_limit_deg
    stations = [station for station in visit.readings.stations if is_runout(station)]
    here = next((one for one in rounds if one.current), None)
    if here is not None:
        stations = [station for station in stations if station.reading["axle"] == here.setup.heads]
    return {
        "rounds": rounds,
        "round": here,
        "clamps": [_clamp(visit, station, limit) for station in stations],
        "limit": limit,
        "calculated": CALCULATED_DEG,
        "lifted": visit.snapshot.rig.lifted,
        "phase": Phase.BEFORE,
        "sealed": Phase.BEFORE in visit.journal.seals,
        "tabs": tabs(page),
        "knobs_turned": KNOBS_TURNED,
        "devices": devices_where_shown(visit.job),
        "shows": "roll",
    }


@dataclass(frozen=True)
class Round:
    """One hanging of the heads on which wheels are rolled, and then read while the heads hang there."""

    setup: Setup
    title: str
    left: int
    unread: int
    current: bool


def rounds_of(page: Page) -> list[Round]:
    """The hangings of a kit that goes axle by axle; none where every wheel is rolled first, or some carries no head."""
    visit, rig = page.visit, page.visit.snapshot.rig
    rolled = {station.reading["axle"] for station in visit.readings.stations if is_runout(station)}
    setups = [setup for setup in rig.setups if setup.heads in rolled]
    if rig.goes != "axles" or len(setups) < 2 or rolled != {setup.heads for setup in setups}:  # noqa: PLR2004
        return []
    open_axles = [int(part.code.split("/")[0]) for part in visit.progress.facts.clamps_open]
    left = {setup.number: open_axles.count(setup.heads) for setup in setups}
    unread = {setup.number: visit.readings.missing(Phase.BEFORE, setup.number) for setup in setups}
    asked = next((s.number for s in setups if s.number == page.setup and not page.sweep), None)
    begun = next((s.number for s in setups if left[s.number] or unread[s.number]), setups[0].number)
    return [
        Round(s, setup_name(page, s), left[s.number], unread[s.number], s.number == (asked or begun)) for s in setups
    ]


def _clamp(visit: Visit, station: Station, limit: float) -> ClampShown:
    name = axle_name(visit.snapshot.vehicle, station.reading["axle"])
    shown = []
    rolls = [f"{p['roll_deg']:g}°" for p in station.reading["positions"]]
    count = len(station.fields) // len(rolls)
    for number, path in enumerate(station.fields):
        slot = str(scale(Phase.BEFORE, station, path))
        typed = visit.readings.current[slot].text if slot in visit.readings.current else ""
        what = " toe" if path.startswith("toe") else ""
        shown.append(Field(slot, f"rolled {rolls[number // count]}{what}", "reading", "°", typed))
    clamp = visit.readings.clamps.get(station.slot)
    side = station.reading["side"]
    return ClampShown(
        f"{side_name(side)} {name}", str(Trued(station.slot)), tuple(shown), clamp, clock(clamp, limit), side
    )
