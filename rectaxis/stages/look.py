"""Look over: tyres, play and wear axle by axle, and how the vehicle stands."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from alignment.judge.tyres import unequal, worn
from alignment.model.vehicle import SIDES, axle_title
from alignment.procedure.checklist import (
    MAKER_ASKS_NOTHING,
    PLATE,
    SOUND,
    TREADS,
    height_slot,
    part_slot,
    ride_height,
    size_slot,
    tyre_slot,
    tyres,
)  # fmt: skip
from rectaxis.drawing.tread import Tread, tread
from rectaxis.record.slot import ODOMETER
from rectaxis.stages.page import Field, Page, field_for, fields
from rectaxis.visit.visit import Visit


@dataclass(frozen=True)
class TyreRow:
    """One tyre's row: its name, its numbers, its wear, and its tread drawn from the three depths; and what it had last time."""

    name: str
    axle: int
    cells: tuple[Field, ...]
    wear: Field
    tread: Tread
    last: str = ""


@dataclass(frozen=True)
class Corner:
    """Ride height at one corner: the field, and the height above the plate in words."""

    field: Field
    net: str


def look_page(page: Page) -> dict[str, Any]:
    """The tyres as a table; below, play and wear axle by axle, and how the vehicle stands."""
    visit, vehicle = page.visit, page.visit.snapshot.vehicle
    by_slot = {q.slot: field_for(visit, q) for q in visit.snapshot.questions["look"]}
    rows = []
    for at, name, axle, _ in tyres(vehicle, visit.snapshot.subject.duals):
        cells = tuple(
            by_slot[tyre_slot(at, cell)] for cell in ("pressure", "tread-outer", "tread-middle", "tread-inner")
        )
        wear = by_slot[tyre_slot(at, "wear")]
        depths = [visit.journal.number(cell.slot) for cell in cells[1:]]
        rows.append(
            TyreRow(
                name,
                axle.number,
                cells,
                wear,
                tread(depths, wear.typed, wear.choices.get(wear.typed, "")),
                _last_treads(visit, at),
            )
        )
    parts = [
        (axle_title(vehicle, axle.number), by_slot[size_slot(axle.number)],
         [_under_its_axle(f) for f in by_slot.values() if f.slot.startswith(part_slot(axle.number, ""))])
        for axle in vehicle.axles
    ]  # fmt: skip
    return {
        "tyres": rows,
        "parts": parts,
        "standing": fields(page, ["standing"]),
        "plate": by_slot[PLATE],
        "corners": [
            _corner(visit, axle.number, by_slot[height_slot(axle.number, side)])
            for axle in vehicle.axles
            for side in SIDES
        ],
        "sound": SOUND,
        "not_asked": MAKER_ASKS_NOTHING,
        "remarks": [*_remarks(visit, rows), *_wear(visit)],
    }


def _remarks(visit: Visit, rows: Sequence[TyreRow]) -> Iterator[str]:
    """What is odd about the tyres of an axle: pressures that differ lean the vehicle and pull it."""
    for axle in visit.snapshot.vehicle.axles:
        read = [(row.name, visit.journal.number(row.cells[0].slot)) for row in rows if row.axle == axle.number]
        known = [(value, name) for name, value in read if value is not None]
        if unequal([value for value, _ in known]):
            (low, lowest), (high, highest) = min(known), max(known)
            yield (
                f"{axle_title(visit.snapshot.vehicle, axle.number)}: {lowest} {low:g} bar, {highest} {high:g} bar. "
                "Make them equal before measuring."
            )


def _last_treads(visit: Visit, at: str) -> str:
    """What was left of a tyre's tread last time, in words; empty where nobody measured it."""
    depths = visit.snapshot.layout.treads.get(at, ())
    return ", ".join("–" if depth is None else f"{depth:g}" for depth in depths)


def _wear(visit: Visit) -> Iterator[str]:
    """How fast each tyre wore since the last visit, at the place where it wore most."""
    layout, now = visit.snapshot.layout, visit.journal.number(ODOMETER)
    if layout.odometer is None or now is None:
        return
    run = now - layout.odometer
    for at, name, _, _ in tyres(visit.snapshot.vehicle, visit.snapshot.subject.duals):
        read = [visit.journal.number(tyre_slot(at, f"tread-{place}")) for place in TREADS]
        if found := worn(layout.treads.get(at, ()), read, run):
            rate, place = f"{found.per_1000_km:.2f} mm in 1,000 km", TREADS[found.place]
            yield f"{name}: {found.gone_mm:.1f} mm of tread in {run:,.0f} km, {rate} ({place})."


def _under_its_axle(field: Field) -> Field:
    """A part's field under a heading that names its axle already."""
    label = field.label.split(": ", 1)[-1]
    return replace(field, label=label[0].upper() + label[1:])


def _corner(visit: Visit, axle: int, field: Field) -> Corner:
    measured = visit.journal.number(field.slot)
    if measured is None:
        return Corner(field, "")
    net = ride_height(measured, visit.journal.number(PLATE) or 0.0)
    springs = visit.snapshot.layout.springs.get(axle)
    advice = f". {springs.advise(net)}" if springs else ""
    return Corner(field, f"{net:.0f} mm above what it stands on{advice}")
