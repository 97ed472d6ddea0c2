"""Roll: runout, wheel by wheel; with a set-up chosen, that set-up's sweep."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from alignment.judge.runout import ClampError
from alignment.model.vehicle import axle_name
from alignment.procedure.station import Station
from rectaxis.drawing.clock import Clock, clock
from rectaxis.record.slot import Phase, Trued
from rectaxis.record.snapshot import is_runout, scale
from rectaxis.stages.page import Field, Page
from rectaxis.stages.read import read_page
from rectaxis.stages.tabs import tabs
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
    if page.setup and tabs(page):
        shown = read_page(Page(page.visit, page.person, page.stage, page.setup, sweep=True))
        return {**shown, "fields": []}
    visit = page.visit
    limit = visit.snapshot.rig.runout_limit_deg
    stations = [station for station in visit.readings.stations if is_runout(station)]
    return {
        "clamps": [_clamp(visit, station, limit) for station in stations],
        "limit": limit,
        "lifted": visit.snapshot.rig.lifted,
        "phase": Phase.BEFORE,
        "sealed": Phase.BEFORE in visit.journal.seals,
        "tabs": tabs(page),
        "knobs_turned": KNOBS_TURNED,
    }


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
    return ClampShown(f"{side} {name}", str(Trued(station.slot)), tuple(shown), clamp, clock(clamp, limit), side)
