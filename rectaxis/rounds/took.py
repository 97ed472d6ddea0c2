"""How long visits took, from what the record holds, and how long one is expected to take."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple
from uuid import UUID

from django.db.models import Max, Min, Q

from planning.durations import Durations, Kind, Takes
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import CLOSED, Job

_MOST_PAST = 500
_SHORTEST_MIN, _LONGEST_MIN = 4.0, 12 * 60.0
"""A visit that took less was a trial, one that took more was left open over night."""


class Asked(NamedTuple):
    """What is asked of a visit, as far as it says how long it takes."""

    vehicle: Vehicle
    kit: str
    scope: str
    technician: int | None


def kind_of(asked: Asked) -> Kind:
    """As the planner takes it."""
    axles = len(Layout.from_json(asked.vehicle.layout).core.vehicle.axles)
    return Kind(
        axles,
        asked.kit,
        asked.scope,
        str(asked.technician or ""),
        f"{asked.vehicle.fleet_id}/{asked.vehicle.stands_at}",
    )


def taught() -> Durations:
    """What the last visits that were done taught: from when each was begun until it was handed over."""
    jobs = (
        Job.objects.filter(status__in=CLOSED)
        .select_related("vehicle__fleet", "kit")
        .annotate(
            began=Min("event_set__at", filter=Q(event_set__what=Job.Status.OPEN)),
            ended=Max("event_set__at", filter=Q(event_set__what__in=CLOSED)),
        )
        .filter(began__isnull=False, ended__isnull=False)
        .order_by("-planned_at", "-pk")[:_MOST_PAST]
    )
    past = []
    for job in jobs:
        minutes = (job.ended - job.began).total_seconds() / 60
        if _SHORTEST_MIN <= minutes <= _LONGEST_MIN:
            code = job.kit.code if job.kit else ""
            past.append((kind_of(Asked(job.vehicle, code, job.rig.get("scope", "all"), job.technician_id)), minutes))
    return Durations(past)


def expected(known: Durations, asked: Mapping[UUID, Asked]) -> dict[UUID, Takes]:
    """How long each visit takes."""
    return {key: known.of(kind_of(one)) for key, one in asked.items()}
