"""Contacts of a fleet, and letters."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from simple_history.models import HistoricalRecords

from rectaxis.common.models import Record
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.record.models import Job


class Contact(Record):
    """Somebody of a fleet who gets letters; ``wants`` is the rule by which they go out without a press."""

    class Wants(models.TextChoices):
        EACH = "each", "each report, when a job is handed over"
        NOT_IN_ORDER = "outside", "only reports of what is not in order"
        WEEKLY = "weekly", "once a week, a list of the week's reports"
        NOTHING = "nothing", "nothing by itself, only what is sent by a press"

    fleet = models.ForeignKey(Fleet, on_delete=models.PROTECT, related_name="contacts")
    name = models.CharField(max_length=80)
    email = models.EmailField("e-mail address")
    wants = models.CharField("gets", max_length=8, choices=Wants.choices, default=Wants.NOTHING)
    angle_style = models.CharField(
        "angles in", max_length=3, choices=User.AngleStyle.choices, default=User.AngleStyle.DEGREES
    )
    former = models.BooleanField("no longer there: gets nothing", default=False)
    history = HistoricalRecords()

    class Meta:
        ordering = ["former", "name"]
        constraints = [models.UniqueConstraint(fields=["fleet", "email"], name="address_once_in_a_fleet")]

    def __str__(self) -> str:
        return f"{self.name}, {self.email}"

    @property
    def reader(self) -> User:
        """Who reads what goes to them."""
        return User(angle_style=self.angle_style)


class Letter(Record):
    """One letter to one address. ``key`` says what it is of: the same is never written twice. ``by`` is nobody where a rule sent it."""

    class Status(models.TextChoices):
        WAITING = "waiting", "waiting to be sent"
        SENDING = "sending", "being sent"
        SENT = "sent", "sent"
        REFUSED = "refused", "refused by the mail server"
        FAILED = "failed", "not sent: tried too often"
        UNSURE = "unsure", "may have been sent: the connection or the program ended in the middle"

    contact = models.ForeignKey(Contact, on_delete=models.PROTECT, null=True, related_name="letters")
    to = models.EmailField()
    job = models.ForeignKey(Job, on_delete=models.PROTECT, null=True, related_name="letters")
    version = models.PositiveSmallIntegerField("version of the report that it brings", null=True)
    subject = models.CharField(max_length=200)
    body = models.TextField()
    secret = models.BooleanField("its text is forgotten once it is sent", default=False)
    key = models.CharField(max_length=200, unique=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    status = models.CharField(max_length=8, choices=Status.choices, default=Status.WAITING)
    changed_at = models.DateTimeField(auto_now=True)
    tries = models.PositiveSmallIntegerField(default=0)
    said = models.CharField("what the mail server said last", max_length=300, blank=True)

    class Meta:
        ordering = ["-made_at"]
        indexes = [
            models.Index(fields=["status", "changed_at"]),
            models.Index(fields=["made_at", "id"], name="letters_by_time"),
        ]

    def __str__(self) -> str:
        return f"{self.subject}, to {self.to}"
