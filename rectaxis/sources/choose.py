"""Which source a job has."""

from __future__ import annotations

from rectaxis.record.models import Job
from rectaxis.sources.base import Source
from rectaxis.sources.simulated import Simulated
from rectaxis.sources.typed import TypedByHand


def source_of(job: Job) -> Source:
    """The simulated vehicle behind a demo or practice job, else a person's eyes."""
    return Simulated(job) if job.simulation else TypedByHand()
