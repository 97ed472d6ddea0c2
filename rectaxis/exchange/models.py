"""Lists that were read in."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rectaxis.common.models import Record


class Import(Record):
    """A list as it was read, what its columns mean, and what was made of it. ``table`` has the heads first; ``made`` are keys."""

    class Status(models.TextChoices):
        READ = "read", "read, not yet taken"
        WAITING = "waiting", "waiting to be taken"
        DONE = "done", "taken"
        FAILED = "failed", "not taken"
        UNDONE = "undone", "undone"

    kind = models.CharField(max_length=10)
    file_name = models.CharField(max_length=120)
    table = models.JSONField()
    columns = models.JSONField("fields by column", default=list)
    usual = models.JSONField("what holds for every line", default=dict)
    leave_out = models.BooleanField("lines with faults are left out", default=False)
    made = models.JSONField(default=list)
    said = models.CharField(max_length=300, blank=True)
    status = models.CharField(max_length=8, choices=Status.choices, default=Status.READ)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"{self.file_name}, {self.get_status_display()}"

    @property
    def heads(self) -> list[str]:
        """The names of its columns."""
        return [str(head) for head in self.table[0]]

    @property
    def lines(self) -> list[list[str]]:
        """Everything below the heads."""
        return list(self.table[1:])


class Export(Record):
    """A fleet's whole data as one file of open formats, for whoever asked for it."""

    class Status(models.TextChoices):
        WAITING = "waiting", "being made"
        DONE = "done", "ready"

    fleet = models.ForeignKey("fleets.Fleet", on_delete=models.CASCADE, related_name="exports")
    status = models.CharField(max_length=8, choices=Status.choices, default=Status.WAITING)
    file = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"Everything of {self.fleet}, {self.get_status_display()}"
