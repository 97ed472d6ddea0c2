"""The week and the day, moving visits, and plans."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any
from uuid import UUID

import msgspec
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.days import day_of, start_of
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.rounds.actions.ask_for_plan import ask_for_plan, drop_plan, take_what_there_is
from rectaxis.rounds.actions.move_visit import back_to_tray, move_visit, release
from rectaxis.rounds.actions.say_crew import digest
from rectaxis.rounds.actions.tell import tell
from rectaxis.rounds.actions.undo_move import Undo, standing, undo_move, undo_of
from rectaxis.rounds.actions.use_plan import use_plan
from rectaxis.rounds.board import STATES, board_of, monday_of, today
from rectaxis.rounds.calendar import calendar_of, visits_of
from rectaxis.rounds.forms import MoveForm
from rectaxis.rounds.gather import call_of, crews, days_between, gathered, in_the_tray, wall
from rectaxis.rounds.models import Call, Crew, Run
from rectaxis.rounds.moving import CannotAskError, what_becomes, where_of
from rectaxis.rounds.sheet import sheet_of
from rectaxis.rounds.shown import shown_plan
from rectaxis.visit.kits import KitError

TRAY = 200


def _day(request: HttpRequest, name: str = "day") -> dt.date:
    """The day that an address names, today where it names none, within the years that calendars are used for."""
    day = day_of(request.GET.get(name, "")) or today()
    return min(max(day, dt.date(1970, 1, 8)), dt.date(2200, 1, 1))


@require_GET
def week(request: Request) -> HttpResponse:
    """Everybody's visits of a week on a time line, and the tray of those without a time."""
    demand(allowed=may_work(request.user))
    monday = monday_of(_day(request))
    days = days_between(monday, monday + dt.timedelta(days=6))
    crew = crews()
    return render(
        request,
        "rounds/week.html",
        _board(crew, days) | {"monday": monday, "last": days[-1], "one_day": False, "undo": _last_move(request)},
    )


@require_GET
def day(request: Request) -> HttpResponse:
    """One day: everybody's time line, and for each when to leave, by which ferry, and what comes after what."""
    demand(allowed=may_work(request.user))
    that, crew = _day(request), crews()
    only = [one for one in crew if one.person_id == request.user.pk and "all" not in request.GET] or crew
    # As it was planned: what could be booked then is not asked again.
    found, shown = gathered([that], start_of(that) - dt.timedelta(days=14)), _board(crew, [that])
    sheets = [sheet_of(one, shown["board"], found) for one in only]
    return render(
        request,
        "rounds/day.html",
        shown | {"that": that, "sheets": sheets, "one_day": True, "mine": only != crew},
    )


def _board(crew: list[Crew], days: Sequence[dt.date]) -> dict[str, Any]:
    calls = list(in_the_tray()[:TRAY])
    runs = Run.objects.select_related("by").exclude(status=Run.Status.DROPPED)[:5]
    return {
        "board": board_of(crew, days, timezone.now()), "days": days, "tray": calls, "legend": STATES.values(), "crew": crew, "runs": runs, "today": today(),
        "earlier": days[0] - dt.timedelta(days=7 if len(days) > 1 else 1), "later": days[0] + dt.timedelta(days=7 if len(days) > 1 else 1),
    }  # fmt: skip


def move(request: Request, key: str) -> HttpResponse:
    """Put a visit or a want from the tray on somebody's day; while its place is chosen, what that does is shown."""
    demand(allowed=may_work(request.user))
    one = where_of(key)
    if one is None:
        raise Http404
    form = MoveForm(request.POST or ({"technician": request.GET["technician"], **request.GET.dict()} if "technician" in request.GET else None),
                    initial=_now_at(one, crews()))  # fmt: skip
    if request.method == "POST" and form.is_valid():
        try:
            days = {form.cleaned_data["day"]} | ({wall(one.planned_at).date()} if isinstance(one, Job) else set())
            before = standing(one, days)
            job, said = move_visit(request.user, one, form.cleaned_data["technician"], _begins(form))
            request.session[_UNDO] = msgspec.json.encode(undo_of(one, before, job)).decode()
            messages.success(request, " ".join(said) if said else f"{job.vehicle.unit} is moved.")
            return redirect(f"{reverse('rounds:week')}?day={form.cleaned_data['day']}")
        except (RecordError, KitError) as error:
            form.add_error(None, str(error))
    context = {
        "one": one,
        "key": key,
        "form": form,
        "call": call_of(one),
        "is_job": isinstance(one, Job),
        **_preview(one, form),
    }
    template = (
        "rounds/preview.html"
        if request.htmx and "technician" in request.GET
        else "rounds/move_panel.html"
        if request.htmx
        else "rounds/move.html"
    )
    return render(request, template, context, status=422 if request.method == "POST" and form.errors else 200)


_UNDO, _UNDO_FOR = "rounds-undo", dt.timedelta(hours=1)
"""Where a person's last move is kept, and for how long it is offered to take it back at a press."""


def _last_move(request: Request) -> Undo | None:
    kept = request.session.get(_UNDO)
    found = msgspec.json.decode(kept, type=Undo) if kept else None
    return found if found is not None and timezone.now() - found.made < _UNDO_FOR else None


@require_POST
def undo(request: Request) -> HttpResponse:
    """Take the last move back."""
    demand(allowed=may_work(request.user))
    last = _last_move(request)
    request.session.pop(_UNDO, None)
    if last is None:
        messages.error(request, "There is no move to be taken back.")
        return redirect("rounds:week")
    try:
        undo_move(request.user, last)
        messages.success(request, f"The move of {last.unit} is taken back.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect(f"{reverse('rounds:week')}?day={last.day:%Y-%m-%d}")


def _begins(form: MoveForm) -> dt.datetime:
    return dt.datetime.combine(form.cleaned_data["day"], form.cleaned_data["time"])


def _now_at(one: Job | Call, crew: list[Crew]) -> dict[str, Any]:
    """Where it stands now, or for a want the first place that comes to mind."""
    mine = [man for man in crew if isinstance(one, Job) and man.person_id == one.technician_id] or crew
    at = (
        wall(one.planned_at)
        if isinstance(one, Job)
        else dt.datetime.combine(one.on or today() + dt.timedelta(days=1), one.at or dt.time(9))
    )
    return {"technician": mine[0].pk if mine else None, "day": at.date(), "time": at.time()}


def _preview(one: Job | Call, form: MoveForm) -> dict[str, Any]:
    """What a move would do, where the form says where to."""
    if not form.is_bound or not form.is_valid():
        return {"said": (), "possible": None}
    try:
        found, _ = what_becomes(one, form.cleaned_data["technician"], _begins(form))
    except CannotAskError as error:
        return {"said": (str(error),), "possible": False}
    return {"said": found.said, "possible": found.possible}


@require_POST
def give_up(request: Request, key: str) -> HttpResponse:
    """Forget what a person set of a visit, or put it back into the tray."""
    one = where_of(key)
    if one is None:
        raise Http404
    try:
        if "tray" in request.POST and isinstance(one, Job):
            back_to_tray(request.user, one)
            messages.success(request, f"{one.vehicle.unit} is in the tray again.")
        else:
            release(request.user, call_of(one))
            messages.success(request, f"The next plan may put {one.vehicle.unit} where it fits best.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("rounds:week")


@require_POST
def plan(request: Request) -> HttpResponse:
    """Ask for a plan of a week, of a day, or of the rest of today."""
    again = "again" in request.POST
    late: dict[UUID, dt.datetime] = {}
    for name, value in request.POST.items():
        if name.startswith("late-") and value:
            late |= _late(name.removeprefix("late-"), str(value))
    try:
        first, last = day_of(request.POST.get("first", "")) or today(), day_of(request.POST.get("last", "")) or today()
        run = ask_for_plan(request.user, first, last, again=again, late=late)
    except RecordError as error:
        messages.error(request, str(error))
        return redirect("rounds:week")
    return redirect("rounds:run", pk=run.pk)


def _late(key: str, value: str) -> dict[UUID, dt.datetime]:
    try:
        at = dt.datetime.combine(today(), dt.time.fromisoformat(value))
        return {UUID(key): timezone.make_aware(at)}
    except ValueError:
        return {}


@require_GET
def run(request: Request, pk: UUID) -> HttpResponse:
    """A plan: how far it is, then what it says, with the reasons, and what it leaves out."""
    demand(allowed=may_work(request.user))
    found = get_object_or_404(Run.objects.select_related("by"), pk=pk)
    context = {"run": found, "shown": shown_plan(found.plan, found.days) if found.plan else None}
    return render(request, "rounds/run_state.html" if request.htmx else "rounds/run.html", context)


@require_POST
def decide(request: Request, pk: UUID) -> HttpResponse:
    """Use a plan, leave it, or end its search."""
    found = get_object_or_404(Run, pk=pk)
    try:
        if "enough" in request.POST:
            take_what_there_is(request.user, found)
            return redirect("rounds:run", pk=pk)
        if "drop" in request.POST:
            drop_plan(request.user, found)
            messages.success(request, "The plan is not used; everything stays as it was.")
        else:
            used = use_plan(request.user, found)
            left = f" {used.left} stayed as they were: they had begun, or changed meanwhile." if used.left else ""
            messages.success(
                request, f"The plan is used: {used.moved} visits have their time, {used.made} come from the tray.{left}"
            )
    except (RecordError, KitError) as error:
        messages.error(request, str(error))
        return redirect("rounds:run", pk=pk)
    return redirect(f"{reverse('rounds:week')}?day={found.first}")


@require_POST
def told(request: Request) -> HttpResponse:
    """Note that the fleets were told the times of some visits."""
    keys = [key for key in request.POST.getlist("job") if _is_key(key)]
    jobs = list(Job.objects.filter(pk__in=keys, status=Job.Status.PLANNED).select_related("vehicle", "kit"))
    tell(request.user, jobs)
    messages.success(request, f"{len(jobs)} visits are noted as told: a later plan changes their time last.")
    return redirect(f"{reverse('rounds:week')}?day={request.POST.get('day', '')}")


def _is_key(text: str) -> bool:
    try:
        UUID(text)
    except ValueError:
        return False
    return True


@require_GET
def to_tell(request: Request) -> HttpResponse:
    """Which visits of a week somebody is to be told of, by fleet."""
    demand(allowed=may_work(request.user))
    monday = monday_of(_day(request))
    jobs = Job.objects.filter(
        planned_at__gte=max(timezone.now(), start_of(monday)), planned_at__lt=start_of(monday + dt.timedelta(days=7)), status=Job.Status.PLANNED
    ).select_related("vehicle__fleet", "technician", "call")  # fmt: skip
    open_jobs = [
        job for job in jobs.order_by("vehicle__fleet__name", "planned_at")[:TRAY] if call_of(job).told != job.planned_at
    ]
    return render(request, "rounds/to_tell.html", {"jobs": open_jobs, "monday": monday})


@require_GET
@login_not_required
def feed(_request: HttpRequest, secret: str) -> HttpResponse:
    """Somebody's visits, for a calendar program that subscribes to them: who has the address may read it."""
    found = (
        Crew.objects.select_related("person")
        .filter(calendar=digest(secret), person__is_active=True)
        .exclude(calendar="")
        .first()
    )
    if found is None:
        raise Http404
    return _as_calendar(found)


@require_GET
def calendar(request: Request, pk: UUID) -> HttpResponse:
    """The same as a file."""
    demand(allowed=may_work(request.user))
    return _as_calendar(get_object_or_404(Crew.objects.select_related("person"), pk=pk))


def _as_calendar(crew: Crew) -> HttpResponse:
    answer = HttpResponse(calendar_of(crew, visits_of(crew)), content_type="text/calendar; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="visits.ics"'
    return answer
