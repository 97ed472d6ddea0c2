"""What the views of a job share."""

from __future__ import annotations

from uuid import UUID

from django.http import Http404
from django.shortcuts import get_object_or_404

from alignment.procedure.stages import STAGES
from rectaxis.common.fields import number
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request
from rectaxis.record.models import Job
from rectaxis.stages.page import Page
from rectaxis.visit.visit import Visit

_LONGEST_PATH = 60
_CODES = {stage.code for stage in STAGES}


def job_of(request: Request, pk: UUID) -> Job:
    """The job, for people of the business. **Raises** PermissionDenied, Http404."""
    demand(allowed=may_work(request.user))
    return get_object_or_404(Job.objects.select_related("vehicle__fleet", "technician"), pk=pk)


def page_of(request: Request, job: Job, stage: str) -> Page:
    """The page of a job that an address names. **Raises** Http404."""
    if stage not in _CODES:
        raise Http404
    visit = Visit(job)
    get = request.GET.get
    sweep = get("sweep") == "1"
    return Page(
        visit, request.user, stage, number(get("setup", "")), sweep, get("move", ""), get("why", "")[:_LONGEST_PATH]
    )
