"""Specifications."""

from django.db import models
from simple_history.models import HistoricalRecords

from rectaxis.common.models import Record


class Specification(Record):
    """Tolerances for a make and model; ``rows`` are the job file's ``spec``. ``source`` says where they are from."""

    name = models.CharField(max_length=80)
    make = models.CharField(max_length=40, blank=True)
    model = models.CharField(max_length=40, blank=True)
    source = models.CharField(max_length=120, blank=True)
    rows = models.JSONField(default=list)
    history = HistoricalRecords()

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name
