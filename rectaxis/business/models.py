"""The business."""

from __future__ import annotations

import zoneinfo

from django.core.exceptions import ValidationError
from django.db import models
from simple_history.models import HistoricalRecords

from rectaxis.business.letter_words import check_words
from rectaxis.people.models import SideNames


def check_zone(name: str) -> None:
    """Raises ValidationError for a time zone that there is not."""
    if name not in zoneinfo.available_timezones():
        raise ValidationError(f"Expected a time zone such as Europe/Lisbon or UTC, got {name}.")


SUBJECT = "Wheel alignment, {unit}, {day}: report {number}"
BODY = """Dear {name},

the report of {unit}, measured on {day}, is attached.

{answer}
{next}

{business}
"""


class Dates(models.TextChoices):
    """How a day is written, in Django's letters."""

    WORDS = "j F Y", "3 August 2026"
    DAY_FIRST = "d/m/Y", "03/08/2026"
    POINTS = "d.m.Y", "03.08.2026"
    ISO = "Y-m-d", "2026-08-03"


class Business(models.Model):
    """What the business is called and how it numbers its reports. There is one: its key is 1."""

    ONLY = 1

    id = models.PositiveSmallIntegerField(primary_key=True, default=ONLY, editable=False)
    name = models.CharField(max_length=80, blank=True)
    address = models.TextField(max_length=300, blank=True)
    contact = models.CharField("telephone or e-mail", max_length=120, blank=True)
    logo = models.CharField("digest of its logo", max_length=64, blank=True, editable=False)
    time_zone = models.CharField(max_length=60, default="UTC", validators=[check_zone])
    side_names = models.CharField(
        "what reports call the sides of a vehicle", max_length=13, choices=SideNames.choices,
        default=SideNames.LEFT_RIGHT,
    )  # fmt: skip
    dates = models.CharField("how reports write a day", max_length=8, choices=Dates.choices, default=Dates.WORDS)
    words = models.TextField("words at the end of every report", max_length=600, blank=True)
    mail_from = models.EmailField("address that its letters come from", blank=True)
    letter_subject = models.CharField(
        "subject of a letter with a report", max_length=120, default=SUBJECT, validators=[check_words]
    )
    letter_body = models.TextField(
        "text of a letter with a report", max_length=3000, default=BODY, validators=[check_words]
    )
    prefix = models.CharField("what report numbers begin with", max_length=12, blank=True)
    next_number = models.PositiveIntegerField("number of the next report", default=1)
    history = HistoricalRecords()

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(id=1), name="one_business")]

    def __str__(self) -> str:
        return self.name


def the_business() -> Business:
    """The business, as it is by default where nobody has said anything of it."""
    return Business.objects.filter(pk=Business.ONLY).first() or Business()
