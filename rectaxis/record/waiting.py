"""Visits on which nothing was moved yet know what adjusts on their vehicle as it is now; visits know by which figures they go."""

from __future__ import annotations

from typing import Any

from django.dispatch import receiver

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Vehicle
from rectaxis.fleets.signals import adjusters_changed
from rectaxis.record.models import CLOSED, Job
from rectaxis.specs.signals import asked_who_uses


@receiver(adjusters_changed)
def copy_adjusters(vehicle: Vehicle, what: str, **_: Any) -> None:
    """Copy what changed into the visits that are open, on which nothing was moved, and whose axles are the same."""
    waiting = Job.objects.filter(vehicle=vehicle, move_set__isnull=True).exclude(status__in=CLOSED).values("pk")
    for job in locking(Job).filter(pk__in=waiting).order_by("pk"):
        if job.layout["vehicle"] == vehicle.layout["vehicle"]:
            job.layout[what] = vehicle.layout[what]
            job.save(update_fields=["layout"])


@receiver(asked_who_uses)
def count_visits(key: str, **_: Any) -> int:
    """How many visits went by a set of figures."""
    return Job.objects.filter(specification__key=key).count()
