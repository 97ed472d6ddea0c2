"""Pictures taken by the cameras of a visit's kit."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from django.contrib import messages
from django.core.files.storage import default_storage
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job, Shot
from rectaxis.record.slot import Phase
from rectaxis.stages.moving import GUIDED
from rectaxis.stages.views.common import job_of
from rectaxis.visit.actions.look_on import cameras_of, look_on
from rectaxis.visit.actions.take_shot import leave_out_shot, picture_path, see_simulated, take_over_sighting, take_shot

_STAGES = {Phase.BEFORE: "roll", Phase.SET: "set", Phase.AFTER: "prove"}


@require_POST
def shoot(request: Request, pk: UUID) -> HttpResponse:
    """Take pictures now."""
    job = get_object_or_404(Job, pk=pk)
    phase, move = request.POST.get("phase", ""), request.POST.get("move", "")
    device = cameras_of(job)

    def act() -> None:
        if device is None and job.simulation:
            see_simulated(request.user, job, Phase(phase) if phase in set(_STAGES) else Phase.BEFORE)
            return
        if device is None:
            raise RecordError("No cameras are paired with the kit of this visit: pair them on the kit's page.")
        take_shot(request.user, job, phase, move, device)

    return _back(request, pk, phase, act)


@require_POST
def look(request: Request, pk: UUID) -> HttpResponse:
    """A page wants the cameras to look on for some seconds more; what they see is not kept."""
    job = get_object_or_404(Job, pk=pk)
    shows = request.GET.get("shows", "")
    try:
        look_on(request.user, job, request.GET.get("of", ""), shows if shows in {*Phase, *GUIDED} else "")
    except RecordError as error:
        return HttpResponse(str(error), status=422, content_type="text/plain; charset=utf-8")
    return HttpResponse(status=204)


@require_POST
def leave_out(request: Request, pk: UUID, shot: UUID) -> HttpResponse:
    """Leave a shot out."""
    one = get_object_or_404(Shot.objects.select_related("job"), pk=shot, job=pk)
    return _back(request, pk, one.phase, lambda: leave_out_shot(request.user, one))


@require_POST
def take_over(request: Request, pk: UUID) -> HttpResponse:
    """What was seen last while setting is the after, too."""
    job = get_object_or_404(Job, pk=pk)
    return _back(request, pk, Phase.AFTER, lambda: take_over_sighting(request.user, job))


def _back(request: Request, pk: UUID, phase: str, act: Callable[[], object]) -> HttpResponse:
    """Do it, and go back to the page that it belongs to, with why it was refused."""
    try:
        act()
    except RecordError as error:
        messages.error(request, str(error))
    stage = _STAGES[Phase(phase)] if phase in set(_STAGES) else "roll"
    return redirect("stages:stage", pk=pk, stage=stage)


@require_GET
def picture(request: Request, pk: UUID, shot: UUID, camera: str) -> HttpResponse:
    """A camera's picture as it was kept."""
    one = get_object_or_404(Shot, pk=shot, job=job_of(request, pk))
    path = picture_path(one.pictures.get(camera, ""))
    if camera not in one.pictures or not default_storage.exists(path):
        raise Http404
    with default_storage.open(path) as file:
        answer = HttpResponse(file.read(), content_type="image/png")
    answer["Cache-Control"] = "private, max-age=86400, immutable"
    return answer
