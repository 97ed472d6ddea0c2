"""The devices of a visit."""

from __future__ import annotations

from rectaxis.devices.models import Device
from rectaxis.record.models import Job


def devices_of(job: Job) -> list[Device]:
    """The paired devices of its kits; none once its record is closed."""
    return [] if job.closed else list(Device.objects.filter(kit__in=job.kits, unpaired=False))
