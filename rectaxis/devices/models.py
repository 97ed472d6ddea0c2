"""Devices that are paired with kits."""

from __future__ import annotations

from typing import Any

from django.db import models
from simple_history.models import HistoricalRecords

from rectaxis.common.models import Record
from rectaxis.kits.models import Kit


class Device(Record):
    """A device at an address of the yard's network. Without its ``token`` nothing is taken from it, and nothing is told to it.

    ``identity`` is what it says of itself; all below is what the follower last heard, written now and then and never a part of
    a job's record. ``last_event`` is the number of the event heard last: what came after is asked for when it is back.
    """

    kit = models.ForeignKey(Kit, on_delete=models.PROTECT, related_name="devices")
    name = models.CharField(max_length=60)
    address = models.CharField(max_length=200)
    token = models.CharField("the token that is on the device", max_length=200)
    identity = models.JSONField(default=dict)
    unpaired = models.BooleanField(default=False)
    connected = models.BooleanField(default=False, editable=False)
    state = models.JSONField(default=dict, editable=False)
    trouble = models.JSONField(default=list, editable=False)
    heard_at = models.DateTimeField(null=True, editable=False)
    last_event = models.BigIntegerField(null=True, editable=False)
    history = HistoricalRecords(
        excluded_fields=["token", "connected", "state", "trouble", "heard_at", "last_event", "identity"]
    )

    class Meta:
        ordering = ["unpaired", "name"]

    def __str__(self) -> str:
        return self.name

    @property
    def serial(self) -> str:
        """What it calls itself."""
        return str(self.identity.get("serial", ""))

    def as_taken(self) -> dict[str, Any]:
        """What an entry keeps of the device that it was taken from."""
        certificate = self.identity.get("certificate")
        until = certificate.get("until", "") if isinstance(certificate, dict) else ""
        return {"name": self.name, "serial": self.serial, "certified_until": str(until)[:20]}
