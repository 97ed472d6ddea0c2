"""A fleet's own page, and what is answered to it."""

from __future__ import annotations

from uuid import UUID

from django import forms
from django.contrib import messages
from django.db.models import Q
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import way_back, without_nul
from rectaxis.common.paging import part_of
from rectaxis.door.actions.answer_advice import answer_advice
from rectaxis.door.actions.ask_for_visit import ask_for_visit, settle_request
from rectaxis.door.actions.ask_question import answer_question, ask_question
from rectaxis.door.calendar import calendar_of
from rectaxis.door.models import Question, VisitRequest
from rectaxis.door.state import standings
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.access import demand, may_ask, may_see_fleet, may_work
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job

MOST_SHOWN = 200
PAGE = 200


class WishForm(forms.Form):
    """What a fleet asks for."""

    vehicle = forms.ModelChoiceField(Vehicle.objects.none())
    wish = forms.CharField(
        label="What is wrong, or what you want done", max_length=300, widget=forms.Textarea(attrs={"rows": 3})
    )
    until = forms.DateField(label="If possible by", required=False, widget=forms.DateInput(attrs={"type": "date"}))


@require_GET
def fleet(request: Request, pk: UUID) -> HttpResponse:
    """A fleet's vehicles, worst first, with what is advised, due and asked for."""
    demand(allowed=may_see_fleet(request.user, pk))
    found = get_object_or_404(Fleet, pk=pk)
    yards = () if "all" in request.GET else request.user.yards
    standing = standings(found, yards)
    shown = [one.vehicle.pk for one in standing]
    part = part_of(standing, lambda one: one.vehicle.pk, request.GET.get("after", ""), PAGE)
    asked = VisitRequest.objects.filter(vehicle__in=shown).select_related("vehicle", "by", "settled_by")
    context = {
        "fleet": found, "standing": standing, "part": part, "kept": "all" if "all" in request.GET else "",
        "advised": [(one, advice) for one in part for advice in one.open_advice],
        "asked": asked[:MOST_SHOWN], "works_here": may_work(request.user),
        "asks": may_ask(request.user, pk), "yards": yards,
        "questions": Question.objects.filter(job__vehicle__in=shown).select_related("job__vehicle", "by", "answered_by").order_by("-at")[:20],
    }  # fmt: skip
    return render(request, "door/fleet.html", context)


@require_GET
def calendar(request: Request, pk: UUID) -> HttpResponse:
    """What is due of a fleet, as a calendar."""
    demand(allowed=may_see_fleet(request.user, pk))
    found = get_object_or_404(Fleet, pk=pk)
    answer = HttpResponse(calendar_of(standings(found)), content_type="text/calendar; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="due.ics"'
    return answer


@require_POST
def advice(request: Request, pk: UUID, place: int) -> HttpResponse:
    """Say what became of a piece of advice."""
    job = get_object_or_404(Job.objects.select_related("vehicle"), pk=pk)
    try:
        answer_advice(
            request.user, job, place, request.POST.get("answer", ""), without_nul(request.POST.get("why", ""))
        )
        messages.success(request, "Your answer is kept with the report.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect(way_back(request, reverse("door:fleet", args=[job.vehicle.fleet_id])))


def ask(request: Request, pk: UUID) -> HttpResponse:
    """Ask for a visit to one of a fleet's vehicles."""
    demand(allowed=may_ask(request.user, pk))
    found = get_object_or_404(Fleet, pk=pk)
    given = (
        {name: without_nul(str(value)) for name, value in request.POST.items()} if request.method == "POST" else None
    )
    form = WishForm(given, initial={"vehicle": request.GET.get("vehicle", "")})
    form.fields["vehicle"].queryset = found.vehicles.all()  # type: ignore[attr-defined] # of that kind of field
    if request.method == "POST" and form.is_valid():
        try:
            ask_for_visit(request.user, **form.cleaned_data)
            messages.success(request, "It is asked for. What becomes of it stands here.")
            return redirect("door:fleet", pk=pk)
        except RecordError as error:
            form.add_error("wish", str(error))
    return render(request, "door/ask.html", {"form": form, "fleet": found}, status=422 if form.errors else 200)


@require_POST
def question(request: Request, pk: UUID) -> HttpResponse:
    """Ask about a report."""
    job = get_object_or_404(Job.objects.select_related("vehicle"), pk=pk)
    try:
        ask_question(request.user, job, without_nul(request.POST.get("text", "")))
        messages.success(request, "It is asked. The answer stands at the report.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("door:report-questions", pk=pk)


@require_GET
def report_questions(request: Request, pk: UUID) -> HttpResponse:
    """What was asked about a report, with the answers; a field to ask more."""
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet"), pk=pk)
    demand(allowed=may_see_fleet(request.user, job.vehicle.fleet_id) and job.closed)
    context = {
        "job": job,
        "questions": job.questions.select_related("by", "answered_by"),
        "works_here": may_work(request.user),
        "asks": may_ask(request.user, job.vehicle.fleet_id),
    }
    return render(request, "door/questions.html", context)


@require_GET
def waiting(request: Request) -> HttpResponse:
    """What fleets asked for and asked about, and nobody has answered."""
    demand(allowed=may_work(request.user))
    wishes = VisitRequest.objects.filter(settled="").select_related("vehicle__fleet", "by")
    questions = Question.objects.filter(Q(answer="")).select_related("job__vehicle__fleet", "by")
    return render(request, "door/waiting.html", {"wishes": wishes[:MOST_SHOWN], "questions": questions[:MOST_SHOWN]})


@require_POST
def settle(request: Request, pk: UUID) -> HttpResponse:
    """Say what becomes of what a fleet asked for."""
    try:
        settle_request(request.user, get_object_or_404(VisitRequest, pk=pk), without_nul(request.POST.get("said", "")))
        messages.success(request, "The fleet sees it.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect(way_back(request, reverse("door:waiting")))


@require_POST
def answer(request: Request, pk: UUID) -> HttpResponse:
    """Answer a question."""
    found = get_object_or_404(Question, pk=pk)
    try:
        answer_question(request.user, found, without_nul(request.POST.get("answer", "")))
        messages.success(request, "The fleet sees it.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect(way_back(request, reverse("door:waiting")))
