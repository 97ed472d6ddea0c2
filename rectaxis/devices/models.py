"""Devices that are paired with kits."""

from __future__ import annotations

import datetime as dt
import secrets
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone
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
    calibrated = models.JSONField("its cameras as they were calibrated here", default=list)
    calibrated_at = models.DateTimeField(null=True)
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

    @property
    def rig(self) -> dict[str, Any]:
        """How its cameras stand and what is on its targets: as it says, its cameras as they were calibrated here since."""
        rig: dict[str, Any] = self.identity["rig"]
        return {**rig, "cameras": self.calibrated} if self.calibrated else rig

    def as_taken(self) -> dict[str, Any]:
        """What an entry keeps of the device that it was taken from."""
        certificate = self.identity.get("certificate")
        until = certificate.get("until", "") if isinstance(certificate, dict) else ""
        taken = {"name": self.name, "serial": self.serial, "certified_until": str(until)[:20]}
        return taken | ({"calibrated": self.calibrated_at.isoformat()} if self.calibrated_at else {})


class Calibration(Record):
    """Pictures of a target that is held about before a device's cameras, and what they tell of those. ``rig`` is what the device
    said when it was begun; ``results`` are the core's, or ``fault`` why there are none yet.
    """

    device = models.ForeignKey(Device, on_delete=models.PROTECT, related_name="calibrations")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    began_at = models.DateTimeField(default=timezone.now)
    rig = models.JSONField()
    results = models.JSONField(null=True)
    fault = models.TextField(default="", blank=True)
    used_at = models.DateTimeField(null=True)
    dropped = models.BooleanField(default=False)

    class Meta:
        ordering = ["began_at"]

    def __str__(self) -> str:
        return f"calibration of {self.device}"

    @property
    def counting(self) -> list[HeldShot]:
        """Its shots that count, in their order."""
        return [shot for shot in self.shots.all() if not shot.removed]


class HeldShot(Record):
    """A picture of each camera, of a target held still; ``found`` by camera what was seen, ``faults`` by camera why nothing was."""

    calibration = models.ForeignKey(Calibration, on_delete=models.CASCADE, related_name="shots")
    at = models.DateTimeField(default=timezone.now)
    found = models.JSONField(default=dict)
    faults = models.JSONField(default=dict)
    removed = models.BooleanField(default=False)

    class Meta:
        ordering = ["at"]

    def __str__(self) -> str:
        return f"a shot of {self.calibration}"

    @property
    def wanted(self) -> list[str]:
        """The cameras whose pictures have not come yet."""
        return [
            one["id"]
            for one in self.calibration.rig["cameras"]
            if one["id"] not in self.found and one["id"] not in self.faults
        ]


class SelfCheck(Record):
    """A kit's check of itself by what a device says: ``taken`` has the values by key of each pose so far, ``results`` what the
    checks told that are complete. Once it has ``ended_at`` it counts for the day.
    """

    device = models.ForeignKey(Device, on_delete=models.PROTECT, related_name="self_checks")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    began_at = models.DateTimeField(default=timezone.now)
    taken = models.JSONField(default=list)
    results = models.JSONField(default=list)
    ended_at = models.DateTimeField(null=True)
    dropped = models.BooleanField(default=False)

    class Meta:
        ordering = ["began_at"]

    def __str__(self) -> str:
        return f"self-check of {self.device}"

    @property
    def passed(self) -> bool:
        """Whether all that was measured is within its limit."""
        return self.ended_at is not None and all(one["good"] for one in self.results)


_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"
"""Without those that are taken for each other."""


def new_code() -> str:
    """Six letters: a thousand million of them, so that nobody guesses one in a quarter of an hour."""
    return "".join(secrets.choice(_LETTERS) for _ in range(6))


class Sign(Record):
    """A second screen that shows how to roll, steer or set: in the driver's seat, say, without signing in there.

    Its ``code`` is shown on the first screen and opens it once, within ``CODE_HOLDS``; then its key, which nobody guesses, is its
    address for ``SCREEN_HOLDS``. It reads, and changes nothing.
    """

    CODE_HOLDS = dt.timedelta(minutes=15)
    SCREEN_HOLDS = dt.timedelta(hours=12)

    code = models.CharField(max_length=6, unique=True, default=new_code)
    token = models.CharField(max_length=43, unique=True, default=secrets.token_urlsafe)
    job = models.UUIDField()
    made_at = models.DateTimeField(default=timezone.now)
    opened_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"screen of visit {self.job}"

    @classmethod
    def by_code(cls, code: str) -> Sign | None:
        """The screen that a code opens; None for one that is wrong, old or used."""
        since = timezone.now() - cls.CODE_HOLDS
        return cls.objects.filter(code=code.strip().upper()[:6], opened_at=None, made_at__gt=since).first()

    @classmethod
    def by_token(cls, token: str) -> Sign | None:
        """The screen at an address, while it holds."""
        return cls.objects.filter(token=token, opened_at__gt=timezone.now() - cls.SCREEN_HOLDS).first()
