"""Entering fleets and vehicles. A fleet's own page stands with the reports, which it lists."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from rectaxis.fleets.actions.add_fleet import add_fleet
from rectaxis.fleets.actions.add_vehicle import add_vehicle
from rectaxis.fleets.forms import AxleFormSet, FleetForm, VehicleForm, pattern_layout, rows_of, words_of
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.fleets.pictures import pattern_pictures
from rectaxis.fleets.vin import doubt
from rectaxis.people.access import demand, may_work

MOST_SISTERS = 100


def new_fleet(request: HttpRequest) -> HttpResponse:
    """Add a fleet."""
    demand(allowed=may_work(request.user))
    form = FleetForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        fleet = add_fleet(request.user, form.cleaned_data["name"], form.cleaned_data["yard"])
        return redirect("reports:fleet", pk=fleet.pk)
    context = {"form": form, "title": "Add a fleet"}
    return render(request, "one_form.html", context, status=422 if form.errors else 200)


def new_vehicle(request: HttpRequest, pk: UUID) -> HttpResponse:
    """Add a vehicle to a fleet: from a picture of its axles, from a sister vehicle, or axle by axle."""
    demand(allowed=may_work(request.user))
    fleet = get_object_or_404(Fleet, pk=pk)
    if request.method == "POST" and "rows" not in request.POST:
        return _save(request, fleet)
    form, axles = _begun(request, fleet)
    return _page(request, fleet, form, axles)


def _save(request: HttpRequest, fleet: Fleet) -> HttpResponse:
    form, axles = VehicleForm(request.POST), AxleFormSet(request.POST, prefix="axle")
    if form.is_valid() and axles.is_valid():
        words = {key: form.cleaned_data[key] for key in VehicleForm.Meta.fields}
        try:
            made = add_vehicle(request.user, fleet, form.layout(axles), **words)
        except ValidationError as error:
            form.add_error(None, error.messages)
        else:
            if made.vin and (text := doubt(made.vin)):
                messages.warning(request, f"{made.unit} is saved. {text}")
            return redirect("jobs:find-vehicle", pk=made.pk)
    return _page(request, fleet, form, axles, status=422)


def _begun(request: HttpRequest, fleet: Fleet) -> tuple[VehicleForm, AxleFormSet]:
    """The forms as they begin: empty, from a pattern, from a sister vehicle, or with a row more or less than was typed."""
    if "rows" in request.POST:
        return _other_rows(request)
    sister = _sister(request, fleet)
    layout = sister.layout if sister else pattern_layout(request.GET.get("pattern", ""))
    if layout is None:
        return VehicleForm(), AxleFormSet(prefix="axle", initial=[])
    words: dict[str, Any] = words_of(layout)
    if sister is not None:
        words |= {"make": sister.make, "model": sister.model, "year": sister.year}
    typed = {name: request.GET[name] for name in VehicleForm.Meta.fields if request.GET.get(name)}
    return VehicleForm(initial=words | typed), AxleFormSet(prefix="axle", initial=rows_of(layout))


def _other_rows(request: HttpRequest) -> tuple[VehicleForm, AxleFormSet]:
    """What was typed, with one axle more at the rear, or without the last."""
    typed = request.POST.copy()
    count = int(typed["axle-TOTAL_FORMS"]) if typed.get("axle-TOTAL_FORMS", "").isdecimal() else 1
    count = min(count, 8) + (1 if typed["rows"] == "more" else -1)
    typed["axle-TOTAL_FORMS"] = str(max(1, min(8, count)))
    form, axles = VehicleForm(typed), AxleFormSet(typed, prefix="axle")
    # Nothing is wrong yet with a row that was just added.
    for one in (form, *axles.forms):
        one._errors = {}  # noqa: SLF001 - Django offers no other way to show typed data unjudged
    return form, axles


def _sister(request: HttpRequest, fleet: Fleet) -> Vehicle | None:
    try:
        return Vehicle.objects.filter(fleet=fleet, pk=request.GET.get("sister")).first()
    except (ValueError, ValidationError):
        return None


def _page(request: HttpRequest, fleet: Fleet, form: VehicleForm, axles: AxleFormSet, status: int = 200) -> HttpResponse:
    context = {
        "form": form, "axles": axles, "fleet": fleet, "pictures": pattern_pictures(),
        "chosen": request.GET.get("pattern", ""), "sisters": fleet.vehicles.all()[:MOST_SISTERS],
        "words": [form[name] for name in VehicleForm.Meta.fields],
        "rest": [form[name] for name in ("group", "kingpin", "steering_ratio", "pitch", "arm")],
    }  # fmt: skip
    return render(request, "fleets/new_vehicle.html", context, status=status)
