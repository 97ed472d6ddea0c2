"""What a fleet says to a report, and asks for."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rectaxis.common.models import Record
from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import Job


class AdviceAnswer(Record):
    """What the fleet did with a piece of advice, by its place in the report's list. The newest one counts."""

    class Answer(models.TextChoices):
        DONE = "done", "done"
        WILL_NOT = "will-not", "we will not"
        OPEN = "open", "open again"

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="advice_answers")
    place = models.PositiveSmallIntegerField()
    answer = models.CharField(max_length=8, choices=Answer.choices)
    why = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.get_answer_display()}: {self.why}" if self.why else self.get_answer_display()


class VisitRequest(Record):
    """A visit that a fleet asks for, until the business has settled it: planned, or not, in words."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.PROTECT, related_name="visit_requests")
    wish = models.CharField("what is wrong, or wanted", max_length=300)
    until = models.DateField("if possible by", null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    settled = models.CharField("what becomes of it", max_length=300, blank=True)
    settled_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    settled_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"{self.vehicle}: {self.wish}"


class Question(Record):
    """A question at a report, and the answer of those who measured."""

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="questions")
    text = models.CharField("question", max_length=600)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    answer = models.CharField(max_length=1000, blank=True)
    answered_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    answered_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["at"]

    def __str__(self) -> str:
        return self.text
