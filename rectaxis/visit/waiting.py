"""Visits in which nothing was done yet follow what is corrected of their vehicle and of their kit."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet
from django.dispatch import receiver

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Vehicle
from rectaxis.fleets.signals import layout_changed
from rectaxis.kits.models import Kit
from rectaxis.kits.signals import kit_changed
from rectaxis.record.models import Job
from rectaxis.visit.actions.open_job import copies
from rectaxis.visit.kits import KitError


@receiver(layout_changed)
def copy_vehicle(vehicle: Vehicle, **_: Any) -> None:
    """Copy the vehicle anew into its visits that wait."""
    _copy_anew(Job.objects.filter(vehicle=vehicle))


@receiver(kit_changed)
def copy_kit(kit: Kit, **_: Any) -> None:
    """Copy the kit anew into the visits that wait for it."""
    _copy_anew(Job.objects.filter(Q(kit=kit) | Q(further_kits=kit)))


def _copy_anew(jobs: QuerySet[Job]) -> None:
    """Copy vehicle, figures and kit anew into those visits that are planned and on whose record nothing stands.

    One whose kit has nothing to read on the vehicle as it is now stays as it is, until another kit is chosen.
    """
    waiting = jobs.filter(status=Job.Status.PLANNED, added=0, simulation__isnull=True).values("pk")
    for job in locking(Job).filter(pk__in=waiting).select_related("vehicle", "kit").order_by("pk"):
        if job.kit is None:
            continue
        try:
            made = copies(job.vehicle, job.kits, job.rig.get("scope", "all"), simulated=False)
        except KitError:
            continue
        for name, value in made.items():
            setattr(job, name, value)
        job.save(update_fields=[*made])
