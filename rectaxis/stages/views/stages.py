"""The nine stages of a job, what is saved in them, and what follows. A view parses, calls one action, and answers."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from http import HTTPStatus
from typing import Any
from urllib.parse import quote
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
from rectaxis.stages.set import as_typed
from rectaxis.stages.views.common import job_of, page_of
from rectaxis.visit.actions.confirm_readings import confirm_readings
from rectaxis.visit.actions.go_by_check import go_by_check
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.lift_wheel import lift_wheel, put_down
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.actions.record_move import MoveError, record_move, strike_move, undo_move
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
    return render(request, f"stages/{stage.replace('-', '_')}.html", _screen(request, job_of(request, pk), stage))


def _screen(request: Request, job: Job, stage: str) -> dict[str, Any]:
    """What a stage shows; a move that was refused stays as it was typed while its adjuster is in hand."""
    page = page_of(request, job, stage)
    shown, refused = screen(page), request.session.get(REFUSED_MOVE)
    if stage != "set" or not refused or refused["adjuster"] != page.chosen:
        return shown
    hand = shown["in_hand"]
    return {**shown, "in_hand": hand and as_typed(hand, refused), "refused": refused["why"]}


@require_GET
def live(request: Request, pk: UUID, stage: str) -> HttpResponse:
    """The parts of a stage's page that follow from what was typed, by whomever; nothing where the page shows all of it."""
    job = job_of(request, pk)
    if request.GET.get("seen") == job.version:
        return HttpResponse(status=HTTPStatus.NO_CONTENT)
    return render(request, "stages/parts/live.html", _screen(request, job, stage))


@require_GET
def what_next(request: Request, pk: UUID, stage: str) -> HttpResponse:
    """What to read next, as the core answers it."""
    return render(request, "stages/parts/next.html", next_reading(page_of(request, job_of(request, pk), stage)))


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
    """Record a move of an adjuster. What is refused is said beside the field, with what was typed."""
    job, post = get_object_or_404(Job, pk=pk), request.POST.get
    typed = {name: post(name, "") for name in ("adjuster", "amount", "way", "to")}
    try:
        by = _signed(typed["amount"], typed["way"])
        record_move(request.user, job, post("key"), typed["adjuster"], by=by, to=typed["to"])
    except ValueError as error:
        request.session[REFUSED_MOVE] = {"why": str(error), **typed}
        return redirect(_set_page(pk, typed["adjuster"]))
    request.session.pop(REFUSED_MOVE, None)
    return redirect(_set_page(pk))


REFUSED_MOVE = "refused move"
"""Under this key a session holds what was typed of a move that was refused, until one is recorded."""


def _set_page(pk: UUID, adjuster: str = "") -> str:
    return reverse("stages:stage", args=[pk, "set"]) + (f"?move={quote(adjuster)}" if adjuster else "")


def _signed(amount: str, way: str) -> str:
    """An amount that was typed without a sign, with that of the way that was pressed. **Raises** MoveError for one with a sign."""
    if amount.strip().startswith(("-", "+", "\u2212")):
        raise MoveError("The move was not recorded: type how much without a sign, and press which way it was turned.")
    return f"-{amount.strip()}" if way == "down" and amount.strip() else amount


@require_POST
def undo(request: Request, pk: UUID, move: UUID) -> HttpResponse:
    """Record that a move was turned back."""
    job = get_object_or_404(Job, pk=pk)

    def act() -> str:
        undo_move(request.user, job, request.POST.get("key"), move)
        return ""

    return _while_setting(request, pk, act)


@require_POST
def strike(request: Request, pk: UUID, move: UUID) -> HttpResponse:
    """Record that a move was mistyped and never made."""
    job = get_object_or_404(Job, pk=pk)

    def act() -> str:
        strike_move(request.user, job, request.POST.get("key"), move)
        return ""

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
    """Back to the Set page with what an action says, or with why it refused; of moves the page itself says it."""
    try:
        said = act()
        if said:
            messages.success(request, said)
    except ValueError as error:
        messages.error(request, str(error))
    return redirect(_set_page(pk))


@require_POST
def confirm(request: Request, pk: UUID) -> HttpResponse:
    """Take over what the scales of one hanging showed last, and go on to the next hanging."""
    job = get_object_or_404(Job, pk=pk)
    try:
        confirm_readings(request.user, job, number(request.POST.get("setup", "")), sweep="sweep" in request.POST)
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("stages:stage", pk=pk, stage="prove")


@require_POST
def go_by(request: Request, pk: UUID) -> HttpResponse:
    """Go by how the kit's devices checked it today."""
    job = get_object_or_404(Job, pk=pk)
    try:
        go_by_check(request.user, job)
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("stages:stage", pk=pk, stage="rig")


@require_POST
def seal(request: Request, pk: UUID, phase: str) -> HttpResponse:
    """Seal the before or the after."""
    if phase not in SEALED:
        raise Http404
    job = get_object_or_404(Job, pk=pk)
    stage, then = ("judge", "set") if phase == Phase.BEFORE else ("prove", "hand-over")
    try:
        seal_phase(request.user, job, Phase(phase))
        messages.success(request, f"The {phase} is saved and sealed.")
    except RecordError as error:
        messages.error(request, str(error))
        return redirect("stages:stage", pk=pk, stage=stage)
    return redirect("stages:stage", pk=pk, stage=then)


@require_POST
def finish(request: Request, pk: UUID) -> HttpResponse:
    """Hand the job over."""
    try:
        hand_over(request.user, get_object_or_404(Job, pk=pk))
        messages.success(request, "The job is handed over.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("stages:stage", pk=pk, stage="hand-over")
