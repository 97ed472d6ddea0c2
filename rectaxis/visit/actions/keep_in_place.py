"""Keep with the vehicle what a visit leaves in place on it, and what its angles were left at: the next visit starts from there."""

from __future__ import annotations

from collections.abc import Iterator

from django.utils import timezone

from alignment.adjust.hardware import Hardware, hardware_of
from alignment.judge.results import quantity_of
from alignment.procedure.checklist import (
    ADVICE_ROWS,
    DROPPED,
    FOLLOWED_UP,
    TREADS,
    advice_slot,
    open_advice_slot,
    size_slot,
    tyre_slot,
    tyres,
)
from rectaxis.fleets.layout import Json
from rectaxis.fleets.models import Vehicle
from rectaxis.record.slot import ODOMETER, Phase, Placed, parse
from rectaxis.visit.visit import Visit

LEFT = ("camber_deg", "caster_deg", "sai_deg", "toe_deg", "total_toe_deg")
"""Angles that are held against the next visit's."""


def keep_in_place(visit: Visit, vehicle: Vehicle) -> None:
    """Keep it. Part of handing over, which has asked for permission and holds the vehicle's lock.

    A simulated visit leaves nothing on a vehicle.
    """
    if visit.job.simulation is not None:
        return
    layout: Json = dict(vehicle.layout)
    day = timezone.localdate(visit.job.planned_at).isoformat()
    here = {one.id: one for one in visit.hardware}
    since, entries = dict(layout.get("since", {})), []
    for entry, one in zip(layout.get("adjusters", []), hardware_of(layout.get("adjusters", [])), strict=True):
        left = _left(visit, here.get(one.id))
        if left is not None and left.in_place != one.in_place:
            entry = entry | {"installed": getattr(left, "installed", None)}  # noqa: PLW2901 - the same entry, put right
        if left is not None and (left.in_place != one.in_place or one.id in visit.setting.positions):
            since[one.id] = day
        entries.append(entry)
    phase = Phase.AFTER if Phase.AFTER in visit.journal.seals else Phase.BEFORE
    estimates = visit.results(phase).estimates
    last = {path: e.value for path, e in estimates.items() if e is not None and quantity_of(path) in LEFT}
    vehicle.layout = layout | {"adjusters": entries, "since": since, "last": last} | written_down(visit, day)
    vehicle.save(update_fields=["layout"])


def written_down(visit: Visit, day: str) -> Json:
    """What the next visit wants to know of this one, and would type again."""
    journal, snapshot = visit.journal, visit.snapshot
    sizes = {str(axle.number): journal.answer(size_slot(axle.number)) for axle in snapshot.vehicle.axles}
    treads = {
        at: [journal.number(tyre_slot(at, f"tread-{place}")) for place in TREADS]
        for at, *_ in tyres(snapshot.vehicle, snapshot.subject.duals)
    }
    placed = {slot: entry.typed for slot, entry in journal.entries.items() if isinstance(parse(slot), Placed)}
    found: Json = {
        "visited": day,
        "odometer": journal.number(ODOMETER),
        "sizes": {axle: size for axle, size in sizes.items() if size},
        "treads": {at: depths for at, depths in treads.items() if any(depth is not None for depth in depths)},
        "advice": list(_open_advice(visit)),
    }
    if snapshot.rig.code:
        found["placed"] = {
            **snapshot.layout.placed,
            snapshot.rig.code: {slot: text for slot, text in placed.items() if text},
        }
    return found


def _open_advice(visit: Visit) -> Iterator[tuple[str, str]]:
    """What is still advised: of the last visit what nobody closed, and this one's own."""
    answer = visit.journal.answer
    for number, advised in enumerate(visit.snapshot.layout.advice, start=1):
        if answer(open_advice_slot(number)) not in (FOLLOWED_UP, DROPPED):
            yield advised
    for row in range(1, ADVICE_ROWS + 1):
        if text := answer(advice_slot(row)):
            yield text, answer(f"{advice_slot(row)}/due")


def _left(visit: Visit, one: Hardware | None) -> Hardware | None:
    """An adjuster as the visit leaves it; None for what has no count, as a rod."""
    if one is None or one.in_place is None:
        return None
    at = visit.setting.positions.get(one.id)
    return one if at is None else one.standing_at(at if isinstance(at, str) else f"{at:g}")
