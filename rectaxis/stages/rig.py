"""Rig: the kit and its state, and where each piece goes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from alignment.live.self_check import checks_of
from alignment.model.levelling import MUCH_FOR_A_BAR_DEG, fall_and_error
from alignment.model.vehicle import axle_title
from alignment.procedure.checklist import bar_slot
from alignment.procedure.station import Setup
from alignment.speech import side_name
from rectaxis.drawing.plan import PlanMaker
from rectaxis.record.slot import Placed
from rectaxis.stages.devices import devices_of, devices_where_shown
from rectaxis.stages.page import Field, Page, fields
from rectaxis.stages.tabs import setup_name, walked
from rectaxis.visit.ability import ability, of_all, others_could
from rectaxis.visit.carried import checked_today, say_checked
from rectaxis.visit.visit import Visit


@dataclass(frozen=True)
class Hanging:
    """One hanging of the tools on the Rig page: its drawing, and the numbers that say where the tools were put."""

    setup: Any
    plan: Any
    numbers: tuple[Field, ...]


def rig_page(page: Page) -> dict[str, Any]:
    """Where each piece goes, one hanging of the tools at a time; and beside it the kit and its state."""
    visit = page.visit
    setups = visit.snapshot.rig.setups
    chosen = next((setup for setup in setups if setup.number == page.setup), setups[0] if setups else None)
    return {
        "setups": [(setup, setup_name(page, setup), setup is chosen) for setup in setups],
        "next_setup": next((s for s, after in zip(setups[1:], setups, strict=False) if after is chosen), None),
        "devices": devices_where_shown(page.visit.job),
        "hanging": _hanging(page, chosen) if chosen is not None else None,
        "rig": visit.snapshot.rig,
        "facts": visit.progress.facts,
        "checks": fields(page, ["self-check"]),
        "checked": say_checked(visit),
        **_by_devices(page),
        "plain": fields(page, [""]),
        "bar": fields(page, ["bar"]),
        "bar_said": bar_said(visit),
        "rims": _rims(visit),
        **_ability(page),
    }


def _by_devices(page: Page) -> dict[str, Any]:
    """Where the kit's own devices check it, and what they told today, until the visit goes by it."""
    job, kit = page.visit.job, page.visit.job.kit
    asked = (
        next((one for one in devices_of(job) if one.kit_id == job.kit_id), None)
        if kit and checks_of(kit.code)
        else None
    )
    run = checked_today(job) if asked is not None and page.visit.progress.facts.self_check == "open" else None
    return {"checks_itself": asked, "checked_today": run}


def _hanging(page: Page, setup: Setup) -> Hanging:
    visit = page.visit
    both = [
        stop for sweep in (False, True) for stop in walked(Page(visit, page.person, "rig", setup.number, sweep), setup)
    ]
    plan = PlanMaker(visit.snapshot.vehicle, setup, both, look=visit.snapshot.look, spread=False).draw(None, {})
    return Hanging(setup, plan, tuple(_placed(visit, setup.number)))


def bar_said(visit: Visit) -> list[str]:
    """What the level bar says so far: the fall of the ground each way, and by how much the bar itself is off."""
    said = []
    for code, way, plus, minus in (("across", "Across", "right", "left"), ("along", "Along", "front", "rear")):
        laid, turned = (visit.journal.number(bar_slot(part)) for part in (code, f"{code}-turned"))
        if laid is None:
            continue
        fall, off = fall_and_error(laid, turned)
        lower = f"falls {abs(fall):.2f}° to the {plus if fall > 0 else minus}" if round(abs(fall), 2) else "is level"
        if turned is None:
            said.append(f"{way} the ground {lower}, with the bar's own error in it: turn the bar end for end.")
            continue
        said.append(f"{way} the ground {lower}; the bar itself is off by {abs(off):.2f}°.")
        if abs(off) > MUCH_FOR_A_BAR_DEG:
            said.append(
                "That is much for a bar: is one of the two signs wrong? A slope changes its sign when the bar is turned."
            )
    if said and visit.readings.tilt is None:
        said.append("It counts once it is read both across and along, and the ground is marked as measured.")
    return said


def _ability(page: Page) -> dict[str, Any]:
    """Which of the figures this kit can judge, and which other kit could."""
    visit, core = page.visit, page.visit.snapshot.core
    if not core.rules:
        return {}
    rig, ratio = visit.snapshot.rig, visit.snapshot.layout.steering_ratio
    mine = ability(rig.name, core, rig.stations, rig.clamp_u_deg, page.style, ratio)
    lacking = mine.settled < mine.rows
    return {"ability": mine, "others_could": others_could(mine, of_all(core, page.style, ratio)) if lacking else []}


def _placed(visit: Visit, setup: int) -> list[Field]:
    """Where the person put the tools of a set-up; what is left empty stands as the kit's file has it."""
    found: dict[str, Field] = {}
    for station in visit.snapshot.rig.stations:
        if station.setup != setup:
            continue
        for number in station.set_up_numbers():
            slot = str(Placed(station.slot, number.slot.rsplit("/", 1)[-1]))
            near = f", {station.place}" if station.place else ""
            side = f"{side_name(station.reading['side'])} " if "side" in station.reading else ""
            which = f"{side}{station.scale}{near}"
            unit = "mm" if number.dimension == "length" else "°"
            label = f"{which}: {number.label} (usually {number.usual:g})"
            found[slot] = Field(slot, label, "number", unit, visit.journal.answer(slot))
    return list(found.values())


def _rims(visit: Visit) -> list[str]:
    """The rims of this vehicle against what the clamps hold, in words."""
    held = visit.snapshot.rig.rims_mm
    if not held:
        return []
    said = [f"The clamps hold rims of {held[0]:g} to {held[1]:g} mm."]
    for axle in visit.snapshot.vehicle.axles:
        size = visit.readings.tyre_size(axle.number)
        name = axle_title(visit.snapshot.vehicle, axle.number)
        if size is None:
            said.append(f"{name}: type its tyre size under Look over, and it is compared here.")
        else:
            fits = "they fit" if held[0] <= size.rim_mm <= held[1] else "they do not fit"
            said.append(f"{name}: rims of {size.rim_mm:.0f} mm, {fits}.")
    return said
