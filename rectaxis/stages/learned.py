"""What moves taught of a vehicle and of others of its model, with the visit that taught it."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from uuid import UUID

from alignment.adjust.learning import KNUCKLE
from alignment.model.vehicle import the_axle
from rectaxis.record.models import Job, Taught
from rectaxis.visit.visit import Visit

MOST = 60


@dataclass(frozen=True)
class LearnedRow:
    """One thing that was learned, in words."""

    pk: UUID
    what: str
    does: str
    unit: str
    day: dt.datetime
    own: bool
    aside: bool


def learned_rows(job: Job) -> list[LearnedRow]:
    """What was learned on this vehicle first, then on others of its model; the newest first."""
    vehicle = job.vehicle
    if not (vehicle.make and vehicle.model):
        return []
    rows = Taught.objects.filter(
        make=vehicle.make, model=vehicle.model, job__simulation__isnull=job.simulation is None
    ).select_related("job__vehicle")[:MOST]
    visit = Visit(job)
    found = [_row(visit, row) for row in rows]
    return sorted(found, key=lambda row: not row.own)


def _row(visit: Visit, row: Taught) -> LearnedRow:
    of = next((one for one in visit.hardware if one.family == row.family), None)
    if row.family.startswith(KNUCKLE):
        axle, *part = row.family.removeprefix(f"{KNUCKLE} ").split(" ")
        number = int(axle) if axle.isdecimal() and int(axle) <= len(visit.snapshot.vehicle.axles) else 1
        what = f"toe that comes with camber at {the_axle(visit.snapshot.vehicle, number)}, {' '.join(part)}"
        does = f"{abs(row.share):.2f}° {'in' if row.share > 0 else 'out'} for each degree out, give or take {2 * row.u:.2f}°"
    else:
        what = (
            f"{of.NAME} of {the_axle(visit.snapshot.vehicle, of.axle)}" if of is not None else row.family.split("(")[0]
        )
        does = f"{row.share:.2f} times what the dimensions say, give or take {2 * row.u:.2f}"
    same = row.job.vehicle_id == visit.job.vehicle_id
    return LearnedRow(row.pk, what, does, row.job.vehicle.unit, row.job.planned_at, same, row.set_aside)
