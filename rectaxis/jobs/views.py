"""Pages of the day and of a job. A view parses, calls one action, and answers."""

from __future__ import annotations

import json
import time
from uuid import UUID

from django.contrib import messages
from django.core.exceptions import BadRequest
from django.db.models import QuerySet
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from alignment.errors import JobFileError
from alignment.procedure.stages import STAGES
from rectaxis.jobs.actions.hand_over import HandOverError, hand_over
from rectaxis.jobs.actions.open_job import open_job
from rectaxis.jobs.actions.read_in_job_file import read_in_job_file
from rectaxis.jobs.actions.record_move import record_move
from rectaxis.jobs.actions.save_entries import save_entries
from rectaxis.jobs.actions.seal_phase import SealError, seal_phase
from rectaxis.jobs.forms import JobFileForm, NewJobForm
from rectaxis.jobs.models import Job
from rectaxis.jobs.screens import Page, screen
from rectaxis.jobs.simulated import read_scales
from rectaxis.jobs.work import Work
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_measure, may_work

_CODES = {stage.code for stage in STAGES}
MOST_ON_A_DAY = 60
_DIGITS = 3


def _job(request: HttpRequest, pk: UUID) -> Job:
    demand(allowed=may_work(request.user))
    return get_object_or_404(Job.objects.select_related("vehicle__fleet", "technician"), pk=pk)


def today(request: HttpRequest) -> HttpResponse:
    """The visits of the day, and whether the kits are ready. A fleet viewer goes to their own fleet."""
    if not may_work(request.user):
        return redirect("reports:fleet", pk=request.user.fleet_id)
    day = timezone.localdate()
    visits: QuerySet[Job] = Job.objects.filter(planned_at__date=day).select_related("vehicle__fleet", "technician")
    earlier = (
        Job.objects.filter(planned_at__date__lt=day).exclude(status=Job.Status.DONE).select_related("vehicle__fleet")
    )
    kits = [(kit, kit.days_left(day)) for kit in Kit.objects.all()[:20]]
    context = {"visits": visits[:MOST_ON_A_DAY], "earlier": earlier[:20], "kits": kits, "day": day,
               "may_measure": may_measure(request.user)}  # fmt: skip
    return render(request, "jobs/today.html", context)


@require_GET
def job(request: HttpRequest, pk: UUID) -> HttpResponse:
    """The stage of a job where something is open."""
    work = Work(_job(request, pk))
    if work.job.status == Job.Status.DONE:
        return redirect("jobs:stage", pk=pk, stage="hand-over")
    unread = next((s for s in ("arrive", "look", "rig", "roll", "read") if work.open_count(s)), None)
    if "before" in work.seals:
        return redirect("jobs:stage", pk=pk, stage="prove" if "after" in work.seals else "set")
    return redirect("jobs:stage", pk=pk, stage=unread or "judge")


def _page(request: HttpRequest, pk: UUID, stage: str) -> Page:
    if stage not in _CODES:
        raise Http404
    number = request.GET.get("setup", "1")
    work = Work(_job(request, pk))
    wanted = int(number) if number.isdecimal() and len(number) <= _DIGITS else 1
    return Page(work, request.user, stage, wanted)


@require_GET
def stage(request: HttpRequest, pk: UUID, stage: str) -> HttpResponse:
    """One stage of a job."""
    return render(request, f"jobs/stages/{stage}.html", screen(_page(request, pk, stage)))


@require_GET
def live(request: HttpRequest, pk: UUID, stage: str) -> HttpResponse:
    """The parts of a stage's page that follow from what was typed, by whomever."""
    return render(request, "jobs/live.html", screen(_page(request, pk, stage)))


def _posted(request: HttpRequest) -> dict[str, object]:
    try:
        body = json.loads(request.body)
    except ValueError:
        raise BadRequest("expected JSON") from None
    if not isinstance(body, dict):
        raise BadRequest("expected a JSON object")
    return body


@require_POST
def entries(request: HttpRequest, pk: UUID) -> HttpResponse:
    """Save fields; answers with what became of each, and with the server's clock."""
    items = _posted(request).get("entries")
    if not isinstance(items, list) or not all(isinstance(item, dict) for item in items):
        raise BadRequest("expected entries, a list of objects")
    saved = save_entries(request.user, get_object_or_404(Job, pk=pk), items)
    return JsonResponse({"results": [s.as_dict() for s in saved], "server_ms": int(time.time() * 1000)})


@require_POST
def scales(request: HttpRequest, pk: UUID) -> HttpResponse:
    """What the simulated scales of a demo job show."""
    slots = _posted(request).get("slots")
    if not isinstance(slots, list):
        raise BadRequest("expected slots, a list")
    return JsonResponse({"typed": read_scales(request.user, get_object_or_404(Job, pk=pk), map(str, slots))})


@require_POST
def moves(request: HttpRequest, pk: UUID) -> HttpResponse:
    """Record a turn of a rod."""
    job = get_object_or_404(Job, pk=pk)
    try:
        axle, flats = int(request.POST.get("axle", "")), int(request.POST.get("flats", ""))
    except ValueError:
        messages.error(request, "The turn was not recorded: type a whole number of flats.")
    else:
        try:
            record_move(request.user, job, request.POST.get("key"), axle, request.POST.get("side", ""), flats)
            messages.success(request, "The turn is recorded. Read this axle's scales again.")
        except ValueError as error:
            messages.error(request, str(error))
    return redirect(f"{reverse('jobs:stage', kwargs={'pk': pk, 'stage': 'set'})}?setup={_number(request)}")


def _number(request: HttpRequest) -> str:
    number = request.POST.get("setup", "1")
    return number if number.isdecimal() else "1"


@require_POST
def seal(request: HttpRequest, pk: UUID, phase: str) -> HttpResponse:
    """Seal the before or the after."""
    if phase not in ("before", "after"):
        raise Http404
    job = get_object_or_404(Job, pk=pk)
    try:
        seal_phase(request.user, job, phase)
        messages.success(request, f"The {phase} is saved and sealed.")
    except SealError as error:
        messages.error(request, str(error))
    return redirect("jobs:stage", pk=pk, stage="judge" if phase == "before" else "prove")


@require_POST
def finish(request: HttpRequest, pk: UUID) -> HttpResponse:
    """Hand the job over."""
    try:
        hand_over(request.user, get_object_or_404(Job, pk=pk))
        messages.success(request, "The job is handed over.")
    except HandOverError as error:
        messages.error(request, str(error))
    return redirect("jobs:stage", pk=pk, stage="hand-over")


def new(request: HttpRequest) -> HttpResponse:
    """Plan a visit."""
    demand(allowed=may_work(request.user))
    form = NewJobForm(request.POST or None, initial={"vehicle": request.GET.get("vehicle")})
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        made = open_job(request.user, data["vehicle"], data["kit"], data["planned_at"], data["asked"])
        return redirect("jobs:job", pk=made.pk)
    return render(request, "one_form.html", {"form": form, "title": "Plan a visit"}, status=422 if form.errors else 200)


def read_in(request: HttpRequest) -> HttpResponse:
    """Read a job file in."""
    demand(allowed=may_measure(request.user))
    form = JobFileForm(request.POST or None, request.FILES or None)
    faults: list[str] = []
    if request.method == "POST" and form.is_valid():
        try:
            made = read_in_job_file(request.user, form.cleaned_data["vehicle"], form.cleaned_data["file"].read())
            return redirect("jobs:stage", pk=made.pk, stage="judge")
        except JobFileError as error:
            faults = [str(fault) for fault in error.faults[:50]]
    status = 422 if form.errors or faults else 200
    return render(request, "jobs/read_in.html", {"form": form, "faults": faults}, status=status)
