"""The set-up sheet of a car that competes: how each corner stands as it leaves, and what is in place there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from alignment.judge.results import PhaseResults
from alignment.model.vehicle import SIDES, axle_title
from alignment.procedure.checklist import height_slot, size_slot, tyre_slot
from alignment.quantities import QUANTITIES, say
from alignment.speech import side_name
from rectaxis.drawing.strips import Words
from rectaxis.record.seal import Corner, SetUp
from rectaxis.record.slot import SEALED
from rectaxis.visit.visit import Visit

_OF_A_CORNER = ("camber_deg", "camber_gravity_deg", "caster_deg", "sai_deg", "toe_deg", "toe_thrust_deg")
_OF_AN_AXLE = ("total_toe_deg", "tread_mm", "track_mm", "stagger_mm", "setback_mm", "offset_mm")
_OF_THE_CAR = ("thrust_angle_deg", "steer_ahead_deg")


def set_up_sheet(visit: Visit, styles: Sequence[str]) -> SetUp | None:
    """From the newest sealed phase; None of any other vehicle, and while nothing is sealed."""
    newest = next((phase for phase in reversed(SEALED) if phase in visit.journal.seals), None)
    if newest is None or not visit.snapshot.layout.competes:
        return None
    results = visit.results(newest)
    axles = visit.snapshot.vehicle.axles
    corners = tuple(_corner(visit, results, axle.number, side, styles) for axle in axles for side in SIDES)
    return SetUp(corners, tuple(_whole(visit, results, styles)))


def _corner(visit: Visit, results: PhaseResults, axle: int, side: str, styles: Sequence[str]) -> Corner:
    said = (_said(results, f"axles/{axle}/{side}/{quantity}", quantity, styles) for quantity in _OF_A_CORNER)
    name = f"{axle_title(visit.snapshot.vehicle, axle)}, {side_name(side)}"
    return Corner(axle, side, name, tuple(one for one in said if one), tuple(_lines(visit, axle, side)))


def _lines(visit: Visit, axle: int, side: str) -> Iterator[tuple[str, str]]:
    """What was written down of a corner, and what is in place there."""
    answer, question = visit.journal.answer, visit.snapshot.question
    at = f"{axle}/{side}"
    for label, slot in (
        ("Ride height", height_slot(axle, side)),
        ("Pressure", tyre_slot(at, "pressure")),
        ("Tyre", size_slot(axle)),
    ):
        if typed := answer(slot):
            yield label, question[slot].say(typed)
    for one in visit.hardware:
        if one.axle == axle and getattr(one, "side", None) == side and one.in_place is not None:
            stands = visit.setting.positions.get(one.id, one.in_place)
            name = one.title.removeprefix(f"{side_name(side)} ")
            yield name[:1].upper() + name[1:], f"{stands:g}" if isinstance(stands, float | int) else str(stands)


def _whole(visit: Visit, results: PhaseResults, styles: Sequence[str]) -> Iterator[tuple[str, Words]]:
    for axle in visit.snapshot.vehicle.axles:
        title = axle_title(visit.snapshot.vehicle, axle.number)
        for quantity in _OF_AN_AXLE:
            if said := _said(results, f"axles/{axle.number}/{quantity}", quantity, styles):
                yield f"{title}, {said[0]}", said[1]
    for quantity in _OF_THE_CAR:
        if said := _said(results, quantity, quantity, styles):
            yield said


def _said(results: PhaseResults, path: str, quantity: str, styles: Sequence[str]) -> tuple[str, Words] | None:
    """An angle's name and its value by style; None where it is not determined, or given and not measured."""
    estimate = results.estimates.get(path)
    if estimate is None or estimate.u == 0:
        return None
    return QUANTITIES[quantity].label, {style: say(quantity, estimate.value, style) for style in styles}
