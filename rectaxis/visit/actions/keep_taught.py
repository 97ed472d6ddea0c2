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
    """What earlier visits taught, by family: the newest share of each. The vehicle's own count first, as well as they are known;
    those of others of its model as well as they are known for another vehicle. Simulated visits teach only simulated ones,
    and real ones only real ones.
    """
    if not (vehicle.make and vehicle.model):
        return {}
    rows = Taught.objects.filter(
        make=vehicle.make, model=vehicle.model, job__simulation__isnull=not simulated, set_aside=False
    )
    newest = rows.order_by("family", "-id").distinct("family")
    others = {row.family: Belief(row.share, row.u).elsewhere() for row in newest}
    return others | {row.family: Belief(row.share, row.u) for row in newest.filter(job__vehicle=vehicle)}
