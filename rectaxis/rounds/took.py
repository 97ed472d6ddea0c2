"""How long visits took, from what the record holds, and how long one is expected to take."""

from __future__ import annotations

from typing import NamedTuple
from uuid import UUID

from django.db.models import Max, Min, Q
from django.db.models.fields.json import KT

from planning.durations import Durations, Kind
from rectaxis.common.recent import Recent
from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import CLOSED, Event, Job

_MOST_PAST = 500
_SHORTEST_MIN, _LONGEST_MIN = 4.0, 12 * 60.0
"""A visit that took less was a trial, one that took more was left open over night."""
_kept: Recent[Durations] = Recent(2)


class Asked(NamedTuple):
    """What is asked of a visit, as far as it says how long it takes."""

    vehicle: Vehicle
    kit: str
    scope: str
    technician: int | None


def kind_of(asked: Asked) -> Kind:
    """As the planner takes it."""
    axles = len(asked.vehicle.layout["vehicle"]["axles"])
    return Kind(
        axles,
        asked.kit,
        asked.scope,
        str(asked.technician or ""),
        _yard(asked.vehicle.fleet_id, asked.vehicle.stands_at),
    )


def taught() -> Durations:
    """What the last visits that were done taught: from when each was begun until it was handed over. Learned anew once one more is done."""
    newest = Event.objects.filter(what__in=CLOSED).order_by("-pk").values_list("pk", "at").first()
    return _kept.get(newest, _learned)


def _learned() -> Durations:
    last = (
        Job.objects.filter(status__in=CLOSED).order_by("-planned_at", "-pk").values_list("pk", flat=True)[:_MOST_PAST]
    )
    took = {
        job: (ended - began).total_seconds() / 60
        for job, began, ended in Event.objects.filter(job__in=list(last))
        .order_by()
        .values("job")
        .annotate(began=Min("at", filter=Q(what=Job.Status.OPEN)), ended=Max("at", filter=Q(what__in=CLOSED)))
        .values_list("job", "began", "ended")
        if began is not None and ended is not None
    }
    rows = Job.objects.filter(pk__in=took).order_by("pk").values_list(
        "pk", "vehicle__layout__vehicle__axles", "kit__code", KT("rig__scope"), "technician_id", "vehicle__fleet_id", "vehicle__yard", "vehicle__fleet__yard"
    )  # fmt: skip
    return Durations([
        (Kind(len(axles), code or "", scope or "all", str(technician), _yard(fleet, yard or its)), took[job])
        for job, axles, code, scope, technician, fleet, yard, its in rows
        if _SHORTEST_MIN <= took[job] <= _LONGEST_MIN
    ])  # fmt: skip


def _yard(fleet: UUID, name: str) -> str:
    return f"{fleet}/{name}"
