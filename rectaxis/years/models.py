"""What happened to a vehicle between visits."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rectaxis.common.models import Record
from rectaxis.fleets.models import Vehicle


class Happening(Record):
    """Something that may explain why an angle moved. ``renewed``: what wears was renewed, so that its drift begins anew."""

    class Kind(models.TextChoices):
        REPAIR = "repair", "a repair"
        STRIKE = "strike", "a blow: a kerb, a hole, an accident"
        TYRES = "tyres", "tyres changed"
        RECALL = "recall", "a recall"
        PAPER = "paper", "a paper report of the past"
        OTHER = "other", "something else"

    vehicle = models.ForeignKey(Vehicle, on_delete=models.PROTECT, related_name="happenings")
    day = models.DateField()
    odometer = models.PositiveIntegerField("odometer, km", null=True, blank=True)
    kind = models.CharField("what happened", max_length=8, choices=Kind.choices)
    what = models.CharField("in words", max_length=300)
    axle = models.PositiveSmallIntegerField("on which axle; empty for any", null=True, blank=True)
    renewed = models.BooleanField("what wears was renewed: its drift begins anew", default=False)
    picture = models.CharField(max_length=64, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    taken_back = models.BooleanField(default=False)

    class Meta:
        ordering = ["day", "id"]

    def __str__(self) -> str:
        return f"{self.get_kind_display()}: {self.what}"

    @property
    def moves(self) -> bool:
        """Whether it may have moved an angle at once."""
        return self.kind in (self.Kind.REPAIR, self.Kind.STRIKE, self.Kind.RECALL) or self.renewed
