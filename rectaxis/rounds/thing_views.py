"""What is due, the tray, and the places, ferries and hours that plans are made from."""

from __future__ import annotations

from uuid import UUID

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import without_nul
from rectaxis.common.pages import one_form
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.rounds.actions.say_crew import be_away, be_back, give_calendar, read_calendar, say_crew
from rectaxis.rounds.actions.say_place import read_roads, remove_place, say_ferry, say_place, say_sailing
from rectaxis.rounds.actions.want_visit import add_call, change_call, set_aside, take_due
from rectaxis.rounds.board import today
from rectaxis.rounds.due import by_yard, kits_due
from rectaxis.rounds.forms import (
    AbsenceForm,
    CalendarForm,
    CrewForm,
    FerryForm,
    NewWishForm,
    PlaceForm,
    RoadsForm,
    SailingForm,
    WishForm,
)
from rectaxis.rounds.gather import in_the_tray
from rectaxis.rounds.map import map_of
from rectaxis.rounds.missing import unplaced_yards
from rectaxis.rounds.models import Absence, Call, Crew, Ferry, Place, Road, Sailing

_FLEETS = 20
"""So many fleets are looked through on a page."""


def due(request: Request) -> HttpResponse:
    """What is due, by yard, with its reasons; what is ticked goes into the tray."""
    demand(allowed=may_work(request.user))
    after = without_nul(request.GET.get("after", ""))[:80]
    fleets = list(Fleet.objects.filter(name__gt=after).order_by("name")[: _FLEETS + 1])
    yards = by_yard(today(), fleets[:_FLEETS])
    if request.method == "POST":
        wanted = set(request.POST.getlist("due"))
        taken = take_due(
            request.user, [one for yard in yards for one in yard.due if f"{one.source}/{one.key}" in wanted]
        )
        messages.success(request, f"{len(taken)} visits are in the tray. Plan the week, or put each where you want it.")
        return redirect("rounds:week")
    return render(
        request,
        "rounds/due.html",
        {
            "yards": yards,
            "kits": kits_due(today()),
            "tray": in_the_tray().count(),
            "more": fleets[_FLEETS - 1].name if len(fleets) > _FLEETS else "",
        },
    )


def want(request: Request) -> HttpResponse:
    """Put a visit into the tray by hand."""
    demand(allowed=may_work(request.user))
    form = NewWishForm(request.POST or None, initial={"vehicle": request.GET.get("vehicle", "")})
    if request.method == "POST" and form.is_valid():
        try:
            call = add_call(request.user, **form.cleaned_data)
            messages.success(request, f"{call.vehicle.unit} is in the tray.")
            return redirect("rounds:week")
        except RecordError as error:
            form.add_error(None, str(error))
    return one_form(request, form, "A visit that is wanted")


def wish(request: Request, pk: UUID) -> HttpResponse:
    """Change what is wanted of a visit."""
    demand(allowed=may_work(request.user))
    call = get_object_or_404(Call.objects.select_related("vehicle"), pk=pk)
    form = WishForm(request.POST or None, instance=call)
    if request.method == "POST" and form.is_valid():
        try:
            change_call(request.user, call, **form.cleaned_data)
            messages.success(request, f"What is wanted of {call.vehicle.unit} is changed.")
            return redirect("rounds:week")
        except RecordError as error:
            form.add_error(None, str(error))
    return one_form(request, form, f"What is wanted of {call.vehicle.unit}")


@require_POST
def aside(request: Request, pk: UUID) -> HttpResponse:
    """Take a want out of the tray."""
    call = get_object_or_404(Call.objects.select_related("vehicle"), pk=pk)
    try:
        set_aside(request.user, call)
        messages.success(request, f"{call.vehicle.unit} is out of the tray.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("rounds:week")


@require_GET
def places(request: Request) -> HttpResponse:
    """Everything that plans are made from: places on a map, ferries, people."""
    demand(allowed=may_work(request.user))
    found = list(Place.objects.select_related("fleet"))
    people = (
        User.objects.filter(is_active=True, role=User.Role.TECHNICIAN).select_related("crew__home").order_by("username")
    )
    context = {
        "places": found, "ferries": Ferry.objects.select_related("origin", "target"), "people": people, "unplaced": unplaced_yards(),
        "roads": Road.objects.count(), "map": map_of(found),
    }  # fmt: skip
    return render(request, "rounds/places.html", context)


def place(request: Request, pk: UUID | None = None) -> HttpResponse:
    """Add or change a place."""
    demand(allowed=may_work(request.user))
    found = get_object_or_404(Place, pk=pk) if pk else None
    begun = {name: request.GET[name] for name in ("name", "fleet", "kind") if name in request.GET}
    form = PlaceForm(request.POST or None, instance=found, initial=begun)
    if request.method == "POST" and form.is_valid():
        try:
            made = say_place(request.user, form.save(commit=False))
            messages.success(request, f"{made} is written down.")
            return redirect("rounds:places")
        except RecordError as error:
            form.add_error(None, str(error))
    context = {
        "form": form,
        "title": str(found) if found else "Add a place",
        "map": map_of(list(Place.objects.all())),
        "found": found,
    }
    return render(request, "rounds/place.html", context, status=422 if form.errors else 200)


def ferry(request: Request, pk: UUID | None = None) -> HttpResponse:
    """Add or change a line, and what is other than its time table."""
    demand(allowed=may_work(request.user))
    found = get_object_or_404(Ferry, pk=pk) if pk else None
    form = FerryForm(request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        try:
            made = say_ferry(request.user, form.save(commit=False))
            messages.success(request, f"{made} is written down.")
            return redirect("rounds:places")
        except RecordError as error:
            form.add_error(None, str(error))
    context = {
        "form": form, "title": str(found) if found else "Add a ferry", "found": found, "sailing": SailingForm(),
        "sailings": found.sailings.filter(day__gte=today()) if found else [],
    }  # fmt: skip
    return render(request, "rounds/ferry.html", context, status=422 if form.errors else 200)


@require_POST
def sailing(request: Request, pk: UUID) -> HttpResponse:
    """Say that a departure is cancelled, or that places on it are booked."""
    found = get_object_or_404(Ferry, pk=pk)
    form = SailingForm(request.POST)
    if form.is_valid():
        try:
            made = say_sailing(request.user, found, **form.cleaned_data)
            how = "is cancelled" if made.cancelled else f"has {made.booked} places booked"
            messages.success(request, f"{made} {how}. Plan again what used it.")
            return redirect("rounds:ferry", pk=pk)
        except RecordError as error:
            form.add_error(None, str(error))
    demand(allowed=may_work(request.user))
    context = {
        "form": FerryForm(instance=found),
        "title": str(found),
        "found": found,
        "sailing": form,
        "sailings": Sailing.objects.filter(ferry=found),
    }
    return render(request, "rounds/ferry.html", context, status=422)


@require_POST
def remove(request: Request, kind: str, pk: UUID) -> HttpResponse:
    """Take a place or a ferry away."""
    found: Place | Ferry = get_object_or_404(Place, pk=pk) if kind == "place" else get_object_or_404(Ferry, pk=pk)
    try:
        remove_place(request.user, found)
        messages.success(request, f"{found} is taken away.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("rounds:places")


def roads(request: Request) -> HttpResponse:
    """Say how long roads take."""
    demand(allowed=may_work(request.user))
    form = RoadsForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            many = read_roads(request.user, form.cleaned_data["roads"])
            messages.success(request, f"{many} roads are written down.")
            return redirect("rounds:places")
        except RecordError as error:
            form.add_error("roads", str(error))
    return one_form(request, form, "How long roads take")


def crew(request: Request, pk: int) -> HttpResponse:
    """Somebody's hours, home, van, absences and calendar."""
    demand(allowed=may_work(request.user))
    person = get_object_or_404(User, pk=pk, role=User.Role.TECHNICIAN)
    found = Crew.objects.filter(person=person).first()
    form = CrewForm(request.POST or None, instance=found or Crew(person=person))
    if request.method == "POST" and form.is_valid():
        try:
            say_crew(request.user, form.save(commit=False), list(form.cleaned_data["kits"]))
            messages.success(request, f"The hours of {person.shown_name} are written down.")
            return redirect("rounds:places")
        except RecordError as error:
            form.add_error(None, str(error))
    return _crew_page(request, person, found, form)


def _crew_page(request: Request, person: User, found: Crew | None, form: CrewForm, **more: object) -> HttpResponse:
    context = {
        "person": person, "found": found, "form": form, "absence": AbsenceForm(), "calendar": CalendarForm(),
        "absences": found.absences.filter(ends__date__gte=today()) if found else [], "no_home": not Place.objects.exclude(kind="port").exists(), **more,
    }  # fmt: skip
    faulty = any(getattr(one, "errors", None) for one in (form, context["absence"], context["calendar"]))
    return render(request, "rounds/crew.html", context, status=422 if faulty else 200)


@require_POST
def away(request: Request, pk: UUID) -> HttpResponse:
    """Say when somebody is away: typed, or by a calendar."""
    found = get_object_or_404(Crew.objects.select_related("person"), pk=pk)
    demand(allowed=may_work(request.user))
    if "file" in request.FILES:
        upload = CalendarForm(request.POST, request.FILES)
        if upload.is_valid():
            try:
                many = read_calendar(request.user, found, upload.cleaned_data["file"].read())
                messages.success(request, f"{many} absences are read in.")
                return redirect("rounds:crew", pk=found.person_id)
            except RecordError as error:
                upload.add_error("file", str(error))
        return _crew_page(request, found.person, found, CrewForm(instance=found), calendar=upload)
    form = AbsenceForm(request.POST)
    if form.is_valid():
        try:
            be_away(
                request.user, found, form.cleaned_data["starts"], form.cleaned_data["ends"], form.cleaned_data["why"]
            )
            messages.success(request, f"{found} is away then. Plan again what stands there.")
            return redirect("rounds:crew", pk=found.person_id)
        except RecordError as error:
            form.add_error(None, str(error))
    return _crew_page(request, found.person, found, CrewForm(instance=found), absence=form)


@require_POST
def back(request: Request, pk: UUID) -> HttpResponse:
    """Somebody is not away after all."""
    found = get_object_or_404(Absence.objects.select_related("crew"), pk=pk)
    be_back(request.user, found)
    messages.success(request, f"{found.crew} is there then.")
    return redirect("rounds:crew", pk=found.crew.person_id)


@require_POST
def address(request: Request, pk: UUID) -> HttpResponse:
    """Give out a new address of somebody's calendar; it is shown once."""
    found = get_object_or_404(Crew.objects.select_related("person"), pk=pk)
    secret = give_calendar(request.user, found)
    shown = request.build_absolute_uri(reverse("rounds:feed", args=[secret]))
    return _crew_page(request, found.person, found, CrewForm(instance=found), shown=shown)
