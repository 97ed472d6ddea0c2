"""The devices of a visit."""

from __future__ import annotations

from functools import partial

from django.db.models import Q
from django.utils.functional import SimpleLazyObject

from rectaxis.devices.models import Device
from rectaxis.record.models import Job

WITH_ACCESSORIES = {"look": "probe", "prove": "sensor_reset"}
"""Stages at which a device helps that is no part of what measures the wheels, with its kind."""


def devices_of(job: Job) -> list[Device]:
    """The paired devices of its kits; none once its record is closed."""
    if job.closed:
        return []
    further = Job.further_kits.through.objects.filter(job=job.pk).values("kit")
    return list(Device.objects.filter(Q(kit=job.kit_id) | Q(kit__in=further), unpaired=False))


def devices_where_shown(job: Job) -> SimpleLazyObject[list[Device]]:
    """The same, for a template: asked for where it shows them, which what follows a save does not."""
    return SimpleLazyObject(partial(devices_of, job))


def accessories_of(job: Job) -> list[Device]:
    """Those of them that are probes or resetters."""
    return [one for one in devices_of(job) if one.identity.get("kind") in WITH_ACCESSORIES.values()]
