"""Many reports at once, and links to one."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

from rectaxis.common.models import Record
from rectaxis.record.models import Job


class Batch(Record):
    """Reports that a person wants as one file. ``jobs`` are the keys of their jobs, chosen when it was asked for; ``done`` are made."""

    class Form(models.TextChoices):
        ZIP = "zip", "a ZIP with a PDF for each"
        PDF = "pdf", "one PDF"

    class Status(models.TextChoices):
        WAITING = "waiting", "waits for the worker"
        MAKING = "making", "being made"
        DONE = "done", "ready"
        CANCELLED = "cancelled", "cancelled"

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="batches")
    made_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    name = models.CharField(max_length=120)
    form = models.CharField(max_length=3, choices=Form.choices, default=Form.ZIP)
    jobs = models.JSONField()
    done = models.PositiveIntegerField(default=0)
    status = models.CharField(max_length=9, choices=Status.choices, default=Status.WAITING)
    file = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return self.name

    @property
    def count(self) -> int:
        return len(self.jobs)

    @property
    def under_way(self) -> bool:
        """Whether something is still to come of it."""
        return self.status in (self.Status.WAITING, self.Status.MAKING)


class Link(Record):
    """An address that shows one report to whoever has it, until a day or until it is revoked. The address itself is not kept."""

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="links")
    digest = models.CharField(max_length=64, unique=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    until = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    opened = models.PositiveIntegerField(default=0)
    opened_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return f"link to the report of {self.job}"

    @property
    def holds(self) -> bool:
        """Whether it still shows the report."""
        return self.revoked_at is None and self.until > timezone.now() and self.by.is_active
