"""Entering fleets and vehicles. A fleet's own page stands with the reports, which it lists."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from django import forms
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.forms.utils import ErrorDict
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from rectaxis.common.fields import number
from rectaxis.common.pages import one_form
from rectaxis.fleets.actions.add_fleet import add_fleet
from rectaxis.fleets.actions.add_vehicle import add_vehicle
from rectaxis.fleets.actions.change_fleet import change_fleet
from rectaxis.fleets.actions.change_vehicle import change_vehicle
from rectaxis.fleets.forms import (
    MOST_AXLES,
    AxleFormSet,
    Axles,
    FleetForm,
    StandingAxleFormSet,
    StandingVehicleForm,
    VehicleForm,
    pattern_layout,
    rows_of,
    words_of,
)
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.fleets.pictures import pattern_pictures
from rectaxis.fleets.vin import doubt
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request

MOST_SISTERS = 100


def new_fleet(request: Request) -> HttpResponse:
    """Add a fleet."""
    demand(allowed=may_work(request.user))
    form = FleetForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        fleet = add_fleet(request.user, form.cleaned_data["name"], form.cleaned_data["yard"])
        return redirect(fleet.get_absolute_url())
    return one_form(request, form, "Add a fleet")


def edit_fleet(request: Request, pk: UUID) -> HttpResponse:
    """Change what a fleet is called, and where its yard is."""
    demand(allowed=may_work(request.user))
    fleet = get_object_or_404(Fleet, pk=pk)
    form = FleetForm(request.POST or None, instance=fleet)
    if request.method == "POST" and form.is_valid():
        change_fleet(request.user, fleet, form.cleaned_data["name"], form.cleaned_data["yard"])
        return redirect(fleet.get_absolute_url())
    return one_form(request, form, "Change a fleet")


def edit_vehicle(request: Request, pk: UUID) -> HttpResponse:
    """Correct what is written of a vehicle. Visits that were begun keep it as it was."""
    demand(allowed=may_work(request.user))
    vehicle = get_object_or_404(Vehicle.objects.select_related("fleet"), pk=pk)
    if request.method == "POST" and "rows" not in request.POST:
        return _save_changed(request, vehicle)
    if "rows" in request.POST:
        form, axles = _other_rows(request, StandingVehicleForm, StandingAxleFormSet)
    else:
        words = words_of(vehicle.layout) | {name: getattr(vehicle, name) for name in VehicleForm.Meta.fields}
        form = StandingVehicleForm(initial=words)
        axles = StandingAxleFormSet(prefix="axle", initial=rows_of(vehicle.layout))
    return _page(request, vehicle.fleet, form, axles, vehicle=vehicle)


def _save_changed(request: Request, vehicle: Vehicle) -> HttpResponse:
    form = StandingVehicleForm(request.POST, instance=Vehicle(pk=vehicle.pk, fleet=vehicle.fleet))
    axles = StandingAxleFormSet(request.POST, prefix="axle")
    if form.is_valid() and axles.is_valid():
        words = {key: form.cleaned_data[key] for key in VehicleForm.Meta.fields}
        try:
            changed = change_vehicle(request.user, vehicle, form.layout(axles), **words)
        except ValidationError as error:
            form.add_error(None, error.messages)
        else:
            said = f"{changed.unit} is changed. Visits that were begun keep it as it was."
            messages.success(request, said)
            if changed.vin and (text := doubt(changed.vin)):
                messages.warning(request, text)
            return redirect(changed.get_absolute_url())
    return _page(request, vehicle.fleet, form, axles, status=422, vehicle=vehicle)


def new_vehicle(request: Request, pk: UUID) -> HttpResponse:
    """Add a vehicle to a fleet: from a picture of its axles, from another vehicle, or axle by axle."""
    demand(allowed=may_work(request.user))
    fleet = get_object_or_404(Fleet, pk=pk)
    if request.method == "POST" and not {"rows", "pattern", "copy"} & set(request.POST):
        return _save(request, fleet)
    form, axles = _begun(request, fleet)
    return _page(request, fleet, form, axles)


def _save(request: Request, fleet: Fleet) -> HttpResponse:
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
            return redirect(made.get_absolute_url())
    return _page(request, fleet, form, axles, status=422)


def _begun(request: Request, fleet: Fleet) -> tuple[VehicleForm, Axles]:
    """The forms as they begin: empty, from a pattern, from another vehicle, or with a row more or less than was typed."""
    if "rows" in request.POST:
        return _other_rows(request)
    given = request.POST if request.method == "POST" else request.GET
    sister = _sister(given, fleet) if given.get("pattern") is None else None
    layout = sister.layout if sister else pattern_layout(given.get("pattern", ""))
    typed = {name: given[name] for name in VehicleForm.base_fields if given.get(name)}
    if layout is None:
        return VehicleForm(initial=typed), AxleFormSet(prefix="axle", initial=[])
    words: dict[str, Any] = words_of(layout)
    if sister is not None:
        words |= {"make": sister.make, "model": sister.model, "year": sister.year}
    # What the vehicle is called stays as typed; how it stands is the pattern's, or the other vehicle's.
    kept = {name: text for name, text in typed.items() if name in VehicleForm.Meta.fields}
    return VehicleForm(initial=words | kept), AxleFormSet(prefix="axle", initial=rows_of(layout))


def _other_rows(
    request: Request, of_vehicle: type[VehicleForm] = VehicleForm, of_axles: type[Axles] = AxleFormSet
) -> tuple[VehicleForm, Axles]:
    """What was typed, with one axle more at the rear, or without the last."""
    typed = request.POST.copy()
    count = number(typed.get("axle-TOTAL_FORMS", "")) + (1 if typed["rows"] == "more" else -1)
    typed["axle-TOTAL_FORMS"] = str(max(1, min(MOST_AXLES, count)))
    form, axles = of_vehicle(typed), of_axles(typed, prefix="axle")
    # Nothing is wrong yet with a row that was just added.
    judged: list[forms.BaseForm] = [form, *axles.forms]
    for one in judged:
        one._errors = ErrorDict()  # type: ignore[attr-defined]  # noqa: SLF001 - Django offers no other way to show it unjudged
    return form, axles


def _sister(given: Mapping[str, str], fleet: Fleet) -> Vehicle | None:
    try:
        return Vehicle.objects.filter(fleet=fleet, pk=given.get("sister") or "none").first()
    except (ValueError, ValidationError):
        return None


def _page(
    request: Request, fleet: Fleet, form: VehicleForm, axles: Axles, status: int = 200, vehicle: Vehicle | None = None
) -> HttpResponse:
    context = {
        "vehicle": vehicle,
        "form": form, "axles": axles, "fleet": fleet, "pictures": pattern_pictures(),
        "chosen": request.POST.get("pattern") or request.GET.get("pattern", ""), "sisters": fleet.vehicles.all()[:MOST_SISTERS],
        "words": [form[name] for name in VehicleForm.Meta.fields],
        "rest": [form[name] for name in ("group", "kingpin", "steering_ratio", "pitch", "arm", "competes") if name in form.fields],
    }  # fmt: skip
    return render(request, "fleets/new_vehicle.html", context, status=status)
