"""Entering fleets and vehicles. A fleet's own page stands with the reports, which it lists."""

from uuid import UUID

from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from rectaxis.fleets.actions.add_fleet import add_fleet
from rectaxis.fleets.actions.add_vehicle import add_vehicle
from rectaxis.fleets.forms import FleetForm, VehicleForm
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_work


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
    """Add a vehicle to a fleet."""
    demand(allowed=may_work(request.user))
    fleet = get_object_or_404(Fleet, pk=pk)
    form = VehicleForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        words = {key: form.cleaned_data[key] for key in VehicleForm.Meta.fields}
        try:
            add_vehicle(request.user, fleet, form.cleaned_data["layout"], **words)
            return redirect("reports:fleet", pk=pk)
        except ValidationError as error:
            form.add_error(None, error.messages)
    context = {"form": form, "title": f"Add a vehicle to {fleet.name}"}
    return render(request, "one_form.html", context, status=422 if form.errors else 200)
