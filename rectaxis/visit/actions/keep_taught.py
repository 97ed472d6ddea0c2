"""Keep what the moves of a job taught, for other vehicles of the same model."""

from __future__ import annotations

from alignment.adjust.learning import Belief
from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import Taught
from rectaxis.visit.visit import Visit


def keep_taught(visit: Visit) -> None:
    """Keep it. Part of sealing the after, which has asked for permission; a vehicle without make and model teaches nobody."""
    vehicle = visit.job.vehicle
    if not (vehicle.make and vehicle.model):
        return
    for family, (share, u) in visit.setting.kept().items():
        Taught.objects.update_or_create(
            job=visit.job, family=family,
            defaults={"make": vehicle.make, "model": vehicle.model, "share": share, "u": u},
        )  # fmt: skip


def taught_to(vehicle: Vehicle, *, simulated: bool) -> dict[str, Belief]:
    """What earlier visits taught of a vehicle's model, by family: the newest share of each, and how well it is known for
    another vehicle. Simulated visits teach only simulated ones, and real ones only real ones.
    """
    if not (vehicle.make and vehicle.model):
        return {}
    rows = Taught.objects.filter(make=vehicle.make, model=vehicle.model, job__simulation__isnull=not simulated)
    newest = rows.order_by("family", "-id").distinct("family")
    return {row.family: Belief(row.share, row.u).elsewhere() for row in newest}
