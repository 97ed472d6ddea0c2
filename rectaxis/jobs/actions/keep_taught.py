"""Keep what the moves of a job taught, for other vehicles of the same model."""

from __future__ import annotations

import math

from rectaxis.fleets.models import Vehicle
from rectaxis.jobs.models import Taught
from rectaxis.jobs.work import Work

BETWEEN_U = 0.15
"""By how much vehicles of one model differ in what an adjuster does (rust, wear, another supplier's part). An assumption,
no source.
"""


def keep_taught(work: Work) -> None:
    """Keep it. Part of sealing the after, which has asked for permission; a vehicle without make and model teaches nobody."""
    vehicle = work.job.vehicle
    if not (vehicle.make and vehicle.model):
        return
    for family, (share, u) in work.setting.kept().items():
        Taught.objects.update_or_create(
            job=work.job, family=family,
            defaults={"make": vehicle.make, "model": vehicle.model, "share": share, "u": u},
        )  # fmt: skip


def taught_to(vehicle: Vehicle) -> dict[str, list[float]]:
    """What earlier visits taught of a vehicle's model, by family: the newest share of each, and
    how well it is known for another vehicle.
    """
    if not (vehicle.make and vehicle.model):
        return {}
    found: dict[str, list[float]] = {}
    rows = Taught.objects.filter(make=vehicle.make, model=vehicle.model).order_by("family", "-id").distinct("family")
    for row in rows:
        found[row.family] = [row.share, math.hypot(row.u, BETWEEN_U)]
    return found
