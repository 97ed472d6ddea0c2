"""Seal the before or the after: what was read, what it means, and who says so."""

from __future__ import annotations

import hashlib
import json

from django.db import transaction

import alignment
from alignment.sayback import say_back
from rectaxis.jobs.actions.keep_taught import keep_taught
from rectaxis.jobs.models import Job, Seal
from rectaxis.jobs.work import Work
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User


class SealError(ValueError):
    """A phase that cannot be sealed; the text says why."""


@transaction.atomic
def seal_phase(person: User, job: Job, phase: str) -> Seal:
    """Seal a phase. Sealing twice answers with the first seal. **Raises** PermissionDenied, SealError."""
    demand(allowed=may_measure(person))
    job = Job.objects.select_for_update().select_related("vehicle").get(pk=job.pk)
    work = Work(job)
    if phase in work.seals:
        return work.seals[phase]
    if phase == "after" and "before" not in work.seals:
        raise SealError("Save the before first: a report needs both.")
    seal = sealed_now(person, work, phase)
    if phase == "after":
        keep_taught(work)
    if job.status in (Job.Status.PLANNED, Job.Status.PAUSED):
        job.status = Job.Status.OPEN
        job.save(update_fields=["status"])
    return seal


def sealed_now(person: User, work: Work, phase: str, revision: int = 1, reason: str = "") -> Seal:
    """Seal a phase as it is typed now, as a revision of its seal. **Raises** SealError where nothing is read."""
    readings = work.read_now(phase)
    if all(reading["kind"] == "ground" for reading in readings):
        raise SealError(f"Nothing is read yet, so there is no {phase} to save.")
    results = work.solve_readings(readings)
    job_file = work.job_file(readings)
    return Seal.objects.create(
        job=work.job, by=person, phase=phase, revision=revision, reason=reason, job_file=job_file,
        results=results.as_dict(), sentences=say_back(results, person.angle_style, work.steering_ratio),
        core_version=alignment.__version__,
        digest=hashlib.sha256(json.dumps(job_file, sort_keys=True).encode()).hexdigest(),
    )  # fmt: skip
