"""The nine stages of a job, what is saved in them, and what follows. A view parses, calls one action, and answers."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from uuid import UUID

from django.contrib import messages
from django.core.exceptions import BadRequest
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import number
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.slot import SEALED, Phase
from rectaxis.stages.next import next_reading
from rectaxis.stages.screens import screen
from rectaxis.stages.views.common import job_of, page_of
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.lift_wheel import lift_wheel, put_down
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.actions.record_move import record_move, undo_move
from rectaxis.visit.actions.save_entries import save_entries
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit


@require_GET
def job(request: Request, pk: UUID) -> HttpResponse:
    """The stage of a job where something is open."""
    visit = Visit(job_of(request, pk))
    if visit.job.closed:
        return redirect("stages:stage", pk=pk, stage="hand-over")
    unread = next((s for s in ("arrive", "look", "rig", "roll", "read") if visit.progress.open_count(s)), None)
    if Phase.BEFORE in visit.journal.seals:
        return redirect("stages:stage", pk=pk, stage="prove" if Phase.AFTER in visit.journal.seals else "set")
    return redirect("stages:stage", pk=pk, stage=unread or "judge")


@require_GET
def stage(request: Request, pk: UUID, stage: str) -> HttpResponse:
    """One stage of a job."""
    return render(request, f"stages/{stage.replace('-', '_')}.html", screen(page_of(request, pk, stage)))


@require_GET
def live(request: Request, pk: UUID, stage: str) -> HttpResponse:
    """The parts of a stage's page that follow from what was typed, by whomever."""
    return render(request, "stages/parts/live.html", screen(page_of(request, pk, stage)))


@require_GET
def what_next(request: Request, pk: UUID, stage: str) -> HttpResponse:
    """What to read next, as the core answers it."""
    return render(request, "stages/parts/next.html", next_reading(page_of(request, pk, stage)))


def _posted(request: Request) -> dict[str, object]:
    try:
        body = json.loads(request.body)
    except (ValueError, RecursionError):
        raise BadRequest("expected JSON, not deeply nested") from None
    if not isinstance(body, dict):
        raise BadRequest("expected a JSON object")
    return body


@require_POST
def entries(request: Request, pk: UUID) -> HttpResponse:
    """Save fields; answers with what became of each, and with the server's clock."""
    items = _posted(request).get("entries")
    if not isinstance(items, list) or not all(isinstance(item, dict) for item in items):
        raise BadRequest("expected entries, a list of objects")
    saved = save_entries(request.user, Job(pk=pk), items)
    return JsonResponse({"results": [s.as_dict() for s in saved], "server_ms": int(time.time() * 1000)})


@require_POST
def scales(request: Request, pk: UUID) -> HttpResponse:
    """What the simulated scales of a demo job show."""
    slots = _posted(request).get("slots")
    if not isinstance(slots, list):
        raise BadRequest("expected slots, a list")
    return JsonResponse({"typed": look_at_scales(request.user, get_object_or_404(Job, pk=pk), map(str, slots))})


@require_POST
def moves(request: Request, pk: UUID) -> HttpResponse:
    """Record a move of an adjuster."""
    job, post = get_object_or_404(Job, pk=pk), request.POST.get

    def act() -> str:
        record_move(request.user, job, post("key"), post("adjuster", ""), by=post("by", ""), to=post("to", ""))
        return "The move is recorded. Read the scales that answer to it again."

    return _while_setting(request, pk, act)


@require_POST
def undo(request: Request, pk: UUID, move: UUID) -> HttpResponse:
    """Record that a move was taken back."""
    job = get_object_or_404(Job, pk=pk)

    def act() -> str:
        undo_move(request.user, job, request.POST.get("key"), move)
        return "The move is recorded as taken back. Read the scales that answer to it again."

    return _while_setting(request, pk, act)


@require_POST
def lift(request: Request, pk: UUID, what: str) -> HttpResponse:
    """Record that a wheel is lifted, or down again."""
    if what not in ("up", "down"):
        raise Http404
    job = get_object_or_404(Job, pk=pk)

    def act() -> str:
        if what == "up":
            lift_wheel(request.user, job)
            return "The wheel is in the air: what was read on the ground is frozen."
        count = put_down(request.user, job)
        return f"The wheel is down: {count} numbers are carried over. Settle it, and read again."

    return _while_setting(request, pk, act)


def _while_setting(request: Request, pk: UUID, act: Callable[[], str]) -> HttpResponse:
    """Back to the Set page with what an action says, or with why it refused."""
    try:
        messages.success(request, act())
    except ValueError as error:
        messages.error(request, str(error))
    setup = _setup(request)
    query = f"?setup={setup}" if setup else ""
    return redirect(f"{reverse('stages:stage', kwargs={'pk': pk, 'stage': 'set'})}{query}")


def _setup(request: Request) -> int:
    return number(request.POST.get("setup", ""))


@require_POST
def seal(request: Request, pk: UUID, phase: str) -> HttpResponse:
    """Seal the before or the after."""
    if phase not in SEALED:
        raise Http404
    job = get_object_or_404(Job, pk=pk)
    try:
        seal_phase(request.user, job, Phase(phase))
        messages.success(request, f"The {phase} is saved and sealed.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("stages:stage", pk=pk, stage="judge" if phase == Phase.BEFORE else "prove")


@require_POST
def finish(request: Request, pk: UUID) -> HttpResponse:
    """Hand the job over."""
    try:
        hand_over(request.user, get_object_or_404(Job, pk=pk))
        messages.success(request, "The job is handed over.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("stages:stage", pk=pk, stage="hand-over")
