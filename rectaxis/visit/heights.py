"""Figures that go by the ride height, as they hold at the heights that were measured on this visit."""

from __future__ import annotations

from alignment.judge.heights import HEIGHT, at_heights
from alignment.model.vehicle import SIDES
from alignment.procedure.checklist import PLATE, height_slot, ride_height
from rectaxis.record.journal import Journal
from rectaxis.record.slot import Phase
from rectaxis.record.snapshot import Snapshot


def at_ride_heights(snapshot: Snapshot, journal: Journal) -> Snapshot:
    """The copies with the figures that hold at the ride heights. Once the before is sealed they stay those that it was judged by:
    before and after are judged alike.
    """
    if not any(row.get(HEIGHT) is not None for row in snapshot.spec.rows):
        return snapshot
    sealed = journal.seals.get(Phase.BEFORE)
    if sealed is not None:
        return snapshot.judged_by(sealed.job_file["spec"])
    plate = journal.number(PLATE) or 0.0
    measured = {
        (axle.number, side): journal.number(height_slot(axle.number, side))
        for axle in snapshot.vehicle.axles
        for side in SIDES
    }
    heights = {place: ride_height(height, plate) for place, height in measured.items() if height is not None}
    rows, untold = at_heights(snapshot.spec.rows, heights)
    return snapshot.judged_by(rows, untold)
