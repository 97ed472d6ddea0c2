"""What adjusts on a vehicle: the list, and the form of one more."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.forms import Form
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from alignment.adjust.hardware import KINDS, hardware_of
from alignment.adjust.hardware.packings import SpringPackings
from alignment.adjust.hardware.rods import ThreadedRod
from alignment.judge.results import quantity_of
from alignment.quantities import QUANTITIES
from rectaxis.fleets.actions.set_adjusters import set_adjusters
from rectaxis.fleets.adjusters import PackingsForm, adjuster_form, entries_of, kinds
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request


def adjusters(request: Request, pk: UUID) -> HttpResponse:
    """The adjusters of a vehicle; add one of a kind, or take one off the list."""
    demand(allowed=may_work(request.user))
    vehicle = get_object_or_404(Vehicle.objects.select_related("fleet"), pk=pk)
    listed = list(vehicle.layout.get("adjusters", []))
    if request.method == "POST" and request.POST.get("without"):
        return _without(request, vehicle, listed)
    kind = request.POST.get("kind") or request.GET.get("kind", "")
    form = _form(request, vehicle, kind)
    if request.method == "POST" and form is not None and form.is_valid():
        try:
            _add(request, vehicle, kind, form.cleaned_data)
        except ValidationError as error:
            form.add_error(None, error.messages)
        else:
            messages.success(request, "Added. Visits on which nothing was moved yet know it, too.")
            return redirect("fleets:adjusters", pk=pk)
    context = {
        "vehicle": vehicle, "changes": Layout.from_json(vehicle.layout).changes, "listed": _listed(listed), "kinds": [*kinds(), (PACKINGS, "Packings on a spring")],
        "packings": [SpringPackings.from_dict(entry) for entry in vehicle.layout.get("packings", [])], "kind": kind, "form": form,
    }  # fmt: skip
    return render(request, "fleets/adjusters.html", context, status=422 if form is not None and form.errors else 200)


PACKINGS = "packings"


def _form(request: Request, vehicle: Vehicle, kind: str) -> Form | None:
    axles, typed = len(vehicle.layout["vehicle"]["axles"]), request.POST if request.method == "POST" else None
    if kind == PACKINGS:
        return PackingsForm(typed, axles=axles)
    return adjuster_form(kind, axles)(typed) if kind in KINDS else None


def _add(request: Request, vehicle: Vehicle, kind: str, cleaned: dict[str, Any]) -> None:
    if kind == PACKINGS:
        others = [entry for entry in vehicle.layout.get("packings", []) if entry["axle"] != cleaned["axle"]]
        set_adjusters(request.user, vehicle, [*others, cleaned], what="packings")
    else:
        set_adjusters(request.user, vehicle, [*vehicle.layout.get("adjusters", []), *entries_of(kind, cleaned)])


def _without(request: Request, vehicle: Vehicle, listed: list[dict[str, Any]]) -> HttpResponse:
    gone = request.POST["without"]
    if gone.startswith("packings "):
        left = [entry for entry in vehicle.layout.get("packings", []) if f"packings {entry['axle']}" != gone]
        set_adjusters(request.user, vehicle, left, what="packings")
        return redirect("fleets:adjusters", pk=vehicle.pk)
    left = [entry for entry, one in zip(listed, hardware_of(listed), strict=True) if one.id != gone]
    set_adjusters(request.user, vehicle, left)
    messages.success(request, f"{gone} is off the list.")
    return redirect("fleets:adjusters", pk=vehicle.pk)


def _listed(entries: list[dict[str, Any]]) -> list[tuple[str, str, str]]:
    """Each adjuster with its name, what one unit (or its whole range) does, and how far it goes."""
    found = []
    for one in hardware_of(entries):
        adjuster = one.adjuster()
        if adjuster.choices is None:
            does = ", ".join(_said(path, size) for path, size in adjuster.effect.items())
            if isinstance(one, ThreadedRod) and not one.measured:
                does += "; not measured: the first move teaches it"
            found.append(
                (one.id, f"one {adjuster.unit}: {does}", _ends(f"{adjuster.minimum:g}", f"{adjuster.maximum:g}"))
            )
        else:
            positions = [str(key) for key in adjuster.positions]
            ends = (adjuster.choices[positions[0]], adjuster.choices[positions[-1]])
            paths = list(dict.fromkeys(path for end in ends for path in end))
            does = ", ".join(_said(path, ends[1].get(path, 0.0) - ends[0].get(path, 0.0)) for path in paths)
            found.append((one.id, f"all the way: {does}", _ends(positions[0], positions[-1])))
    return found


def _ends(low: str, high: str) -> str:
    return f"{low} to {high}".replace("-", "\u2212")


def _said(path: str, size: float) -> str:
    quantity = QUANTITIES[quantity_of(path)]
    side = quantity.way(size)
    if not size:
        return f"{quantity.label}, to be read again"
    if quantity.unit == "mm":
        return f"{abs(size):.2f} mm {quantity.label} {side}"
    return f"{abs(size):.3f}° {side if quantity.name.endswith('toe_deg') else f'{quantity.label} {side}'}"
