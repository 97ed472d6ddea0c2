"""What the views of a job share."""

from __future__ import annotations

from uuid import UUID

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404

from alignment.procedure.stages import STAGES
from rectaxis.jobs.models import Job
from rectaxis.jobs.screens import Page
from rectaxis.jobs.work import Work
from rectaxis.people.access import demand, may_work

_CODES = {stage.code for stage in STAGES}
_DIGITS = 3


def job_of(request: HttpRequest, pk: UUID) -> Job:
    """The job, for people of the business. **Raises** PermissionDenied, Http404."""
    demand(allowed=may_work(request.user))
    return get_object_or_404(Job.objects.select_related("vehicle__fleet", "technician"), pk=pk)


def number(text: str) -> int:
    """A small whole number from an address, 0 for anything else."""
    return int(text) if text.isdecimal() and len(text) <= _DIGITS else 0


def page_of(request: HttpRequest, pk: UUID, stage: str) -> Page:
    """The page that an address names."""
    if stage not in _CODES:
        raise Http404
    work = Work(job_of(request, pk))
    get = request.GET.get
    return Page(work, request.user, stage, number(get("setup", "")), get("sweep") == "1", get("move", ""))
