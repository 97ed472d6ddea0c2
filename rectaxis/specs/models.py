"""Specifications."""

from __future__ import annotations

from django.db import models
from simple_history.models import HistoricalRecords

from rectaxis.common.models import Record


class Specification(Record):
    """Tolerances for a make and model; ``rows`` are the job file's ``spec``. ``source`` says where they are from.

    Several sets for one model are told apart by the years they hold for and by the tyres they hold for, and by what else they apply to, such as
    a load. ``typed`` are the rows as a person typed them, in the units of their table.
    """

    name = models.CharField(max_length=80)
    make = models.CharField(max_length=40, blank=True)
    model = models.CharField(max_length=40, blank=True)
    year_from = models.PositiveSmallIntegerField("from year", null=True, blank=True)
    year_to = models.PositiveSmallIntegerField("to year", null=True, blank=True)
    tyres = models.CharField("tyre sizes that it holds for, apart by commas; empty for any", max_length=120, blank=True)
    applies = models.CharField("load, springs, or what else tells it apart", max_length=80, blank=True)
    source = models.CharField(max_length=120, blank=True)
    rows = models.JSONField(default=list)
    typed = models.JSONField(default=list)
    history = HistoricalRecords()

    class Meta:
        ordering = ["name", "applies"]

    def __str__(self) -> str:
        return f"{self.name}, {self.apart}" if self.apart else self.name

    @property
    def apart(self) -> str:
        """What tells it apart from others for the same model; empty where nothing does."""
        first, last = self.year_from, self.year_to
        years = f"{first} to {last}" if first and last else f"from {first}" if first else f"to {last}" if last else ""
        return ", ".join(part for part in (years, self.tyres, self.applies) if part)

    def fits_year(self, year: int | None) -> bool:
        """Whether it holds for a vehicle of that year; of an unknown year only where it says no years."""
        if year is None:
            return self.year_from is None and self.year_to is None
        return (self.year_from or year) <= year <= (self.year_to or year)

    @property
    def version(self) -> int:
        """How often it was saved: jobs keep the version that they were judged by."""
        return int(self.history.count())
