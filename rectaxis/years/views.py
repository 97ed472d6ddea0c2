"""A vehicle over the years, and notes of what happened to it between visits."""

from __future__ import annotations

import datetime as dt
from uuid import UUID

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import demand, may_ask, may_see_fleet, may_work
from rectaxis.people.requests import Request
from rectaxis.record.models import CLOSED, Job
from rectaxis.record.pictures import PictureError, stored_picture
from rectaxis.specs.models import Specification
from rectaxis.years.actions.note_happening import note_happening, take_back
from rectaxis.years.chart import letters
from rectaxis.years.compared import sisters_of
from rectaxis.years.forms import HappeningForm
from rectaxis.years.models import Happening
from rectaxis.years.practice import SOON, kits_told, reckoned
from rectaxis.years.tasks import ask_for_kits
from rectaxis.years.told import LEAST_TREAD_MM, angles, next_due, tyres
from rectaxis.years.tracks import years_of

_SHOWN = 8
"""So many visits stand beside each other as small strips; older ones are in the tables."""


def _vehicle(request: Request, pk: UUID) -> Vehicle:
    vehicle = get_object_or_404(Vehicle.objects.select_related("fleet"), pk=pk)
    demand(allowed=may_see_fleet(request.user, vehicle.fleet_id))
    return vehicle


@require_GET
def vehicle(request: Request, pk: UUID) -> HttpResponse:
    """One vehicle over the years: the page, or what stands within another."""
    found = _vehicle(request, pk)
    years = years_of(found)
    told = angles(years, request.user.angle_style, timezone.localdate())
    layout, due = Layout.from_json(found.layout), next_due(years)
    context = {
        "vehicle": found, "years": years, "told": told, "shown": years.visits[-_SHOWN:], "tyres": tyres(years), "least": LEAST_TREAD_MM,
        "due": due, "overdue": due is not None and due[0] < timezone.localdate(), "a_year": round(years.a_year, -2), "letters": letters(years.happenings), "asks": may_ask(request.user, found.fleet_id),
        "works_here": may_work(request.user), "advice": layout.advice, "sisters": sisters_of(found, request.user.angle_style),
        "in_place": [(one["kind"].replace("_", " "), one.get("axle"), one.get("side", ""), one["installed"]) for one in layout.adjusters
                     if one.get("installed")],
    }  # fmt: skip
    return render(request, "years/of_vehicle.html" if request.htmx else "years/vehicle.html", context)


@require_GET
def used(request: Request, pk: UUID) -> HttpResponse:
    """Which visits figures were used in: what stands within their page. Those in hand keep the version they were begun with."""
    demand(allowed=may_work(request.user))
    figures = get_object_or_404(Specification, pk=pk)
    jobs = Job.objects.filter(specification__key=str(pk))
    older = [
        job
        for job in jobs.exclude(status__in=CLOSED).select_related("vehicle__fleet")
        if job.specification.get("version", 1) < figures.version
    ]
    return render(
        request,
        "years/used.html",
        {
            "count": jobs.filter(status__in=CLOSED).count(),
            "older": older,
            "open": jobs.exclude(status__in=CLOSED).count(),
        },
    )


@require_GET
def practice(request: Request) -> HttpResponse:
    """How the business's own work did: its kits, what had to be seen again, how long jobs take."""
    demand(allowed=may_work(request.user))
    made = reckoned()
    if made is None or timezone.now() - made.at > dt.timedelta(days=1):
        ask_for_kits()
    kits = kits_told(made.apart if made else {}, request.user.angle_style, timezone.localdate())
    context = {"made": made, "kits": kits, "soon": SOON.days}
    return render(request, "years/practice.html", context)


def note(request: Request, pk: UUID) -> HttpResponse:
    """Note what happened to a vehicle."""
    found = _vehicle(request, pk)
    demand(allowed=may_ask(request.user, found.fleet_id))
    form = HappeningForm(request.POST or None, request.FILES or None, initial={"day": timezone.localdate()})
    if request.method == "POST" and form.is_valid():
        words = dict(form.cleaned_data)
        photo = words.pop("photo")
        try:
            note_happening(request.user, found, photo.read() if photo else None, **words)
        except ValidationError as error:
            for field, texts in error.message_dict.items():
                form.add_error(field if field in form.fields else None, texts)
        except PictureError as error:
            form.add_error("photo", str(error))
        else:
            messages.success(request, f"It is noted of {found.unit}.")
            return redirect("years:vehicle", pk=pk)
    return render(request, "years/note.html", {"form": form, "vehicle": found}, status=422 if form.errors else 200)


def _happening(pk: UUID) -> Happening:
    return get_object_or_404(Happening.objects.select_related("vehicle"), pk=pk, taken_back=False)


@require_POST
def drop(request: Request, pk: UUID) -> HttpResponse:
    """Take a note back."""
    dropped = take_back(request.user, _happening(pk))
    messages.success(request, "The note no longer counts.")
    return redirect("years:vehicle", pk=dropped.vehicle_id)


@require_GET
def picture(request: Request, pk: UUID) -> HttpResponse:
    """The photo of a note."""
    found = _happening(pk)
    demand(allowed=may_see_fleet(request.user, found.vehicle.fleet_id))
    content = stored_picture(found.picture) if found.picture else None
    if content is None:
        raise Http404
    return HttpResponse(content, content_type="image/jpeg")
