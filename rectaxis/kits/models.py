"""Kits."""

import datetime as dt

from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from simple_history.models import HistoricalRecords

from rectaxis.common.models import Record

OFFERED = ("flag_lasers", "mirror_lasers", "frame_gauge_lasers", "tyre_bars", "frame_flags", "straightedge_tape",
           "drive_over_plate", "angle_gauge", "wheel_heads", "frame_cameras", "target_cameras",
           "target_cameras_posts")  # fmt: skip
"""Kinds of kit whose numbers are read off scales, by a person or a paired device, or come from pictures of a paired one."""


def check_code(code: str) -> None:
    """Raises ValidationError for a kind of kit that the screens do not show."""
    if code not in OFFERED:
        raise ValidationError(f"Expected one of {', '.join(OFFERED)}, got {code}.")


_SOON_DAYS = 30


class Kit(Record):
    """One kit in the van. ``code`` names its kind in the core."""

    name = models.CharField(max_length=60)
    code = models.CharField(max_length=30, validators=[check_code])
    serial = models.CharField("serial number", max_length=40, blank=True)
    certified_until = models.DateField(null=True, blank=True)
    toe_in_zone = models.CharField(
        "what marks the toe-in side of its toe scales, such as a colour", max_length=30, blank=True
    )
    toe_out_zone = models.CharField("what marks the toe-out side", max_length=30, blank=True)
    battery_hours = models.FloatField(
        "hours that its battery lasts",
        null=True,
        blank=True,
        validators=[MinValueValidator(0.5), MaxValueValidator(48)],
    )
    goes = models.CharField(
        "how its heads go round", max_length=6, default="stages",
        choices=[("stages", "Roll every wheel first, then read"), ("axles", "Axle by axle: roll, and read while the heads hang there")],
    )  # fmt: skip
    retired = models.BooleanField("no longer used", default=False)
    history = HistoricalRecords()

    class Meta:
        ordering = ["retired", "name"]

    def __str__(self) -> str:
        return self.name

    def days_left(self, today: dt.date) -> int | None:
        """Days until the certificate runs out, negative where it has; None where there is none."""
        return None if self.certified_until is None else (self.certified_until - today).days

    def needs_certificate(self, today: dt.date) -> bool:
        """Whether somebody should see to its certificate: it has none, or it runs out within a month."""
        left = self.days_left(today)
        return left is None or left < _SOON_DAYS

    def certificate(self, today: dt.date) -> str:
        """How its certificate stands, in words."""
        until = self.certified_until
        if until is None:
            return "no certificate"
        day = f"{until:%-d %B %Y}"
        return f"certificate ran out on {day}" if until < today else f"certified until {day}"

    def certified(self, today: dt.date) -> bool:
        """Whether it has a certificate that has not run out."""
        return self.certified_until is not None and self.certified_until >= today
