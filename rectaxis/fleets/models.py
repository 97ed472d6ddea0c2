"""Fleets and vehicles."""

from django.conf import settings
from django.contrib.postgres.indexes import GinIndex, OpClass
from django.core.exceptions import ValidationError
from django.db import models
from django.db.models import Value
from django.db.models.functions import Replace, Upper
from django.urls import reverse
from simple_history.models import HistoricalRecords

from alignment.adjust.hardware import check_on
from alignment.adjust.hardware.packings import SpringPackings
from alignment.errors import JobFileError
from alignment.judge.results import nameable
from rectaxis.common.models import Record
from rectaxis.fleets.layout import Layout


class Fleet(Record):
    """A customer: everything under it is closed to other fleets."""

    name = models.CharField(max_length=80, unique=True)
    yard = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        """Where its page is: in a room above this one, so the settings say it."""
        return reverse(settings.PLACES["fleet"], args=[self.pk])


def check_layout(layout: object) -> None:
    """Raises ValidationError for a layout that the core refuses, with the core's own words."""
    if not isinstance(layout, dict) or "vehicle" not in layout:
        raise ValidationError("Expected a layout with the key vehicle.")
    try:
        made = Layout.from_json(layout)
        check_on(made.core.vehicle, nameable(made.core.vehicle), made.hardware)
        for packings in made.packings:
            SpringPackings.from_dict(packings)
    except (JobFileError, TypeError, ValueError) as error:
        raise ValidationError(str(error)) from None


def plain_plate() -> Upper:
    """A plate as it is compared: without spaces and hyphens, since people type them either way."""
    return Upper(Replace(Replace("registration", Value(" "), Value("")), Value("-"), Value("")))


class Vehicle(Record):
    """A vehicle. ``layout`` holds the job file's ``vehicle`` and ``datum``, its ``adjusters``, the ``packings`` on its springs, and its ``steering_ratio``,
    and what only the drawing and the questions need: its ``group``, its ``pattern`` and the axles with ``duals``.
    """

    fleet = models.ForeignKey(Fleet, on_delete=models.PROTECT, related_name="vehicles")
    unit = models.CharField("unit number", max_length=40)
    registration = models.CharField(max_length=20, blank=True)
    vin = models.CharField("VIN", max_length=17, blank=True)
    make = models.CharField(max_length=40, blank=True)
    model = models.CharField(max_length=40, blank=True)
    year = models.PositiveSmallIntegerField(null=True, blank=True)
    yard = models.CharField("yard, if not the fleet's", max_length=120, blank=True)
    layout = models.JSONField(validators=[check_layout])
    history = HistoricalRecords()

    class Meta:
        ordering = ["unit"]
        constraints = [models.UniqueConstraint(fields=["fleet", "unit"], name="unit_once_in_a_fleet")]
        indexes = [
            # Finding by a part of what is written, however many there are: what ``icontains`` asks for.
            *(
                GinIndex(OpClass(Upper(name), "gin_trgm_ops"), name=f"vehicle_{name}_part")
                for name in ("unit", "vin", "make", "model")
            ),
            GinIndex(OpClass(plain_plate(), "gin_trgm_ops"), name="vehicle_plate_part"),
            models.Index(fields=["unit", "id"], name="vehicle_by_unit"),
        ]

    def __str__(self) -> str:
        return self.unit

    @property
    def stands_at(self) -> str:
        """The yard in which it stands: its own, or the fleet's. The fleet must be loaded with it."""
        return self.yard or self.fleet.yard

    def get_absolute_url(self) -> str:
        """Where its page is."""
        return reverse(settings.PLACES["vehicle"], args=[self.pk])
