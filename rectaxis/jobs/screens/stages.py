"""The stages without a drawing to type on: arriving, looking over, rigging, rolling, judging, handing over."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace
from typing import Any

from alignment.adjust.reach import adjustable_axles, say_what_adjusts
from alignment.adjust.references import Consequence, consequences
from alignment.diagnose import Finding, diagnose
from alignment.procedure.checklist import ride_height, tyres
from alignment.procedure.schools import SCHOOLS, say_order
from alignment.procedure.station import Station
from alignment.results import PhaseResults
from alignment.runout import ClampError
from alignment.vehicle import axle_name, axle_title
from rectaxis.drawing.clock import Clock, clock
from rectaxis.drawing.consequence import RoadDrawn, road
from rectaxis.drawing.plan import WIDTH as PLAN_WIDTH
from rectaxis.drawing.plan import PlanMaker
from rectaxis.drawing.tread import Tread, tread
from rectaxis.jobs.actions.add_photo import DAMAGE, damage_slot
from rectaxis.jobs.models import Mark, Photo
from rectaxis.jobs.screens.page import Field, Page, field_for, fields
from rectaxis.jobs.screens.readings import readings_page, solved, tabs, walked
from rectaxis.jobs.sheet import is_runout, trued_slot
from rectaxis.jobs.work import Work

PLACES = (
    ("front", 0.06, 0.5), ("front left corner", 0.12, 0.72), ("left side", 0.5, 0.8), ("rear left corner", 0.9, 0.72),
    ("rear", 0.95, 0.5), ("rear right corner", 0.9, 0.28), ("right side", 0.5, 0.2), ("front right corner", 0.12, 0.28),
)  # fmt: skip
"""Where damage can be marked without pointing: words, and shares of the drawing's width and height."""


@dataclass(frozen=True)
class MarkShown:
    """A mark of damage with its place on the outline, in pixels, and its photos."""

    mark: Mark
    px: float
    py: float
    slot: str
    photos: tuple[Photo, ...]


_OUTLINE_TOP, _OUTLINE_HIGH = 126.0, 260.0
"""The part of the drawing that the outline shows."""


def marks_of(work: Work) -> list[MarkShown]:
    """The marks as the outline shows them."""
    return [
        MarkShown(
            mark, round(mark.x * PLAN_WIDTH), round(_OUTLINE_TOP + mark.y * _OUTLINE_HIGH), damage_slot(mark),
            tuple(work.photos.get(damage_slot(mark), ())),
        )
        for mark in work.marks
    ]  # fmt: skip


def outline_of(work: Work) -> Any:
    """The vehicle's outline, to mark damage on."""
    return PlanMaker(work.core.vehicle, None, look=work.look).draw(None, {})


def arrive_page(page: Page) -> dict[str, Any]:
    """What came in: the questions, and the outline with what is already damaged."""
    work = page.work
    return {
        "outline": outline_of(work),
        "marks": marks_of(work),
        "places": PLACES,
        "damage_slot": DAMAGE,
        "damage_photos": work.photos.get(DAMAGE, []),
        "odometer_was": work.job.odometer_was,
        "odometer_backward": work.facts().odometer_was is not None,
    }


@dataclass(frozen=True)
class TyreRow:
    """One tyre's row: its name, its numbers, its wear, and its tread drawn from the three depths."""

    name: str
    cells: tuple[Field, ...]
    wear: Field
    tread: Tread


@dataclass(frozen=True)
class Corner:
    """Ride height at one corner: the field, and the height above the plate in words."""

    field: Field
    net: str


def look_page(page: Page) -> dict[str, Any]:
    """The tyres as a table; below, play and wear axle by axle, and how the vehicle stands."""
    work, vehicle = page.work, page.work.core.vehicle
    by_slot = {q.slot: field_for(work, q) for q in work.questions["look"]}
    rows = []
    for at, name, _, _ in tyres(vehicle, work.subject.duals):
        cells = tuple(
            by_slot[f"look/tyre/{at}/{c}"] for c in ("pressure", "tread-outer", "tread-middle", "tread-inner")
        )
        wear = by_slot[f"look/tyre/{at}/wear"]
        rows.append(TyreRow(name, cells, wear, tread([_number(work, cell.slot) for cell in cells[1:]], wear.typed)))
    parts = [
        (axle_title(vehicle, axle.number), by_slot[f"look/size/{axle.number}"],
         [_under_its_axle(f) for f in by_slot.values() if f.slot.startswith(f"look/part/{axle.number}/")])
        for axle in vehicle.axles
    ]  # fmt: skip
    return {
        "tyres": rows,
        "parts": parts,
        "standing": fields(page, ["standing"]),
        "plate": by_slot["look/plate"],
        "corners": [_corner(work, by_slot, f) for f in by_slot.values() if f.slot.startswith("look/height/")],
    }


def _under_its_axle(field: Field) -> Field:
    """A part's field under a heading that names its axle already."""
    label = field.label.split(": ", 1)[-1]
    return replace(field, label=label[0].upper() + label[1:])


def _number(work: Work, slot: str) -> float | None:
    typed = work.current.get(slot)
    return typed.value if typed else None


def _corner(work: Work, by_slot: dict[str, Field], field: Field) -> Corner:
    measured, plate = _number(work, field.slot), _number(work, by_slot["look/plate"].slot)
    if measured is None:
        return Corner(field, "")
    net = ride_height(measured, plate or 0.0)
    springs = work.packings.get(int(field.slot.split("/")[2]))
    advice = f". {springs.advise(net)}" if springs else ""
    return Corner(field, f"{net:.0f} mm above what it stands on{advice}")


@dataclass(frozen=True)
class Hanging:
    """One hanging of the tools on the Rig page: its drawing, and the numbers that say where the tools were put."""

    setup: Any
    plan: Any
    numbers: tuple[Field, ...]


def rig_page(page: Page) -> dict[str, Any]:
    """The kit and its state, and where each piece goes, one drawing for each hanging of the tools."""
    work = page.work
    hangings = []
    for setup in work.setups:
        both = [
            stop
            for sweep in (False, True)
            for stop in walked(Page(work, page.person, "rig", setup.number, sweep), setup)
        ]
        plan = PlanMaker(work.core.vehicle, setup, both, "before", work.look, spread=False).draw(None, {})
        hangings.append(Hanging(setup, plan, tuple(_placed(work, setup.number))))
    return {
        "hangings": hangings,
        "rig": work.job.rig,
        "certified_until": _day(work.job.rig.get("certified_until")),
        "facts": work.facts(),
        "checks": fields(page, ["self-check"]),
        "plain": fields(page, [""]),
        "bar": fields(page, ["bar"]),
        "rims": _rims(work),
    }


def _day(iso: str | None) -> dt.date | None:
    return None if iso is None else dt.date.fromisoformat(iso)


def _placed(work: Work, setup: int) -> list[Field]:
    """Where the person put the tools of a set-up; what is left empty stands as the kit's file has it."""
    found: dict[str, Field] = {}
    for station in work.hung:
        if station.setup != setup:
            continue
        for number in station.set_up_numbers():
            slot = f"rig/place/{number.slot}"
            near = station.slot.rsplit("/", 1)[-1]
            which = f"{station.reading.get('side', '')} {station.scale}" + (
                f", {near}" if near in ("near", "far") else ""
            )
            unit = "mm" if number.dimension == "length" else "°"
            label = f"{which.strip()}: {number.label} (usually {number.usual:g})"
            found[slot] = Field(slot, label, "number", unit, work.answer(slot))
    return list(found.values())


def _rims(work: Work) -> list[str]:
    """The rims of this vehicle against what the clamps hold, in words."""
    held = work.job.rig.get("rims_mm")
    if not held:
        return []
    said = [f"The clamps hold rims of {held[0]} to {held[1]} mm."]
    for axle in work.core.vehicle.axles:
        size = work.tyre_size(axle.number)
        name = axle_title(work.core.vehicle, axle.number)
        if size is None:
            said.append(f"{name}: type its tyre size under Look over, and it is compared here.")
        else:
            fits = "they fit" if held[0] <= size.rim_mm <= held[1] else "they do not fit"
            said.append(f"{name}: rims of {size.rim_mm:.0f} mm, {fits}.")
    return said


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
        shown = readings_page(Page(page.work, page.person, page.stage, page.setup, sweep=True))
        return {**shown, "fields": []}
    work = page.work
    limit = work.job.rig["runout_limit_deg"]
    stations = [station for station in work.stations if is_runout(station)]
    return {
        "clamps": [_clamp(work, station, limit) for station in stations],
        "limit": limit,
        "lifted": work.job.rig.get("lifted", True),
        "phase": "before",
        "sealed": "before" in work.seals,
        "tabs": tabs(page),
    }


def _clamp(work: Work, station: Station, limit: float) -> ClampShown:
    name = axle_name(work.core.vehicle, station.reading["axle"])
    shown = []
    rolls = [f"{p['roll_deg']:g}°" for p in station.reading["positions"]]
    count = len(station.fields) // len(rolls)
    for number, path in enumerate(station.fields):
        slot = f"before/{station.slot}/{path}"
        typed = work.current[slot].text if slot in work.current else ""
        what = " toe" if path.startswith("toe") else ""
        shown.append(Field(slot, f"rolled {rolls[number // count]}{what}", "reading", "°", typed))
    clamp = work.clamps.get(station.slot)
    side = station.reading["side"]
    return ClampShown(f"{side} {name}", trued_slot(station), tuple(shown), clamp, clock(clamp, limit), side)


@dataclass(frozen=True)
class FindingShown:
    """A proposed cause, and what the technician says to it."""

    slot: str
    finding: Finding
    answer: str


@dataclass(frozen=True)
class Choice:
    """A thing to choose, with its reason and what comes of it."""

    code: str
    title: str
    text: str
    said: str
    chosen: bool
    possible: bool = True
    road: RoadDrawn | None = None


def judge_page(page: Page) -> dict[str, Any]:
    """What the readings mean, what may be the cause, what adjusts here, and what to set it to."""
    work = page.work
    results = work.results("before")
    return {
        **solved(page, results),
        "findings": _findings(work, results),
        "answers_to_findings": (AGREED, "I do not", "to be looked at"),
        "adjusts": say_what_adjusts(results, work.hardware),
        "references": _references(page, results),
        "schools": _schools(work),
        "setup": None,
    }


AGREED = "I agree"


def finding_slot(finding: Finding) -> str:
    """The slot of what the technician says to a proposed cause."""
    return "judge/finding/" + "-".join(f"{finding.rule} {finding.cause}".lower().split())[:90]


def _findings(work: Work, results: PhaseResults) -> list[FindingShown]:
    found = []
    for finding in diagnose(work.evidence(results)):
        slot = finding_slot(finding)
        found.append(FindingShown(slot, finding, work.answer(slot)))
    return found


def _references(page: Page, results: PhaseResults) -> list[Choice]:
    work = page.work
    adjustable = adjustable_axles(work.hardware)

    def shown(one: Consequence) -> Choice:
        drawn = road(one)
        return Choice(
            one.code, one.title, one.text, one.say(page.style), one.code == work.reference, one.possible, drawn
        )

    return [shown(one) for one in consequences(results, adjustable, work.steering_ratio)]


def _schools(work: Work) -> list[Choice]:
    """The orders that differ on this vehicle, each with its reason."""
    vehicle, seen = work.core.vehicle, {}
    for school in SCHOOLS.values():
        order = tuple(school.order(vehicle))
        if order not in seen or school is work.school:
            seen[order] = school
    return [
        Choice(s.code, s.title[0].upper() + s.title[1:], say_order(vehicle, s), s.reason, s is work.school)
        for s in seen.values()
    ]


def hand_over_page(page: Page) -> dict[str, Any]:
    """What is on the record, and the ways to take it away."""
    advice = fields(page, ["advice"])
    return {
        "reasons": page.work.reasons(),
        "turns": page.work.turns(),
        "plain": fields(page, [""]),
        "advice": list(zip(advice[::2], advice[1::2], strict=True)),
        "sign_off": fields(page, ["sign-off"]),
    }
