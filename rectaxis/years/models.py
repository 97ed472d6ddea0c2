"""What happened to a vehicle between visits."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rectaxis.common.models import Record
from rectaxis.fleets.models import Fleet, Vehicle


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


class Reckoning(Record):
    """What a fleet reckons with: its own prices and habits; the rest stays as assumed."""

    fleet = models.OneToOneField(Fleet, on_delete=models.CASCADE, related_name="reckoning")
    money = models.CharField("money, as it is written", max_length=8, default="€")
    tyre_price = models.FloatField("price of a tyre", default=320.0)
    fuel_price = models.FloatField("price of a litre of fuel", default=1.7)
    fuel_l_per_100km = models.FloatField("fuel, litres in 100 km", default=12.0)
    life_km = models.PositiveIntegerField("what a tyre lasts on a straight vehicle, km", default=70_000)
    km_a_year = models.PositiveIntegerField(
        "km a year, for vehicles of which no two odometers are known", default=30_000
    )

    def __str__(self) -> str:
        return f"What {self.fleet} reckons with"
