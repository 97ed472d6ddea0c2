"""The visit before: what it left, for a person who comes back to the vehicle."""

from __future__ import annotations

import datetime as dt
from functools import cached_property
from typing import Any

from django.utils import timezone

from rectaxis.record.models import CLOSED, Job, Seal
from rectaxis.record.seal import Statement, sealed_statement
from rectaxis.visit.judged import path_of


class LastVisit:
    """The newest closed visit to the same vehicle before one; simulated visits say nothing of real ones."""

    def __init__(self, job: Job) -> None:
        self.of = job

    @cached_property
    def job(self) -> Job | None:
        """The visit, None where there was none."""
        earlier = Job.objects.filter(vehicle=self.of.vehicle_id, status__in=CLOSED, planned_at__lt=self.of.planned_at)
        alike = earlier.filter(simulation__isnull=self.of.simulation is None).exclude(pk=self.of.pk)
        return alike.select_related("technician").order_by("-planned_at").first()

    @property
    def day(self) -> dt.date | None:
        return None if self.job is None else timezone.localdate(self.job.planned_at)

    @cached_property
    def statement(self) -> Statement | None:
        """What its report says."""
        return None if self.job is None else sealed_statement(self.job)

    @cached_property
    def values(self) -> dict[str, float]:
        """What it left of each judged angle, by the results' paths."""
        seals = Seal.objects.filter(job=self.job).exclude(results={}).order_by("-sequence") if self.job else None
        newest = seals.first() if seals is not None else None
        verdicts: list[dict[str, Any]] = newest.results["verdicts"] if newest is not None else []
        return {path_of(verdict): verdict["value"] for verdict in verdicts if verdict["value"] is not None}
