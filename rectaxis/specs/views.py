"""Entering figures for a make and model with two axles."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from alignment.vehicle import SIDES
from rectaxis.common.fields import TypedField
from rectaxis.people.access import demand, may_work
from rectaxis.specs.actions.add_specification import add_specification

_JUDGED = {
    "front_toe": ("Front total toe", [{"quantity": "total_toe_deg", "axle": 1}]),
    "front_camber": ("Front camber", [{"quantity": "camber_deg", "axle": 1, "side": side} for side in SIDES]),
    "rear_toe": ("Rear total toe", [{"quantity": "total_toe_deg", "axle": 2}]),
    "thrust": ("Thrust angle", [{"quantity": "thrust_angle_deg"}]),
    "rear_camber": ("Rear camber", [{"quantity": "camber_deg", "axle": 2, "side": side} for side in SIDES]),
}
_BOUNDS = {"min": "least", "preferred": "preferred", "max": "most"}


class SpecificationForm(forms.Form):
    """Least, preferred and most of each angle, degrees; toe-in and leaning out are plus. What is empty is not judged."""

    name = forms.CharField(max_length=80)
    make = forms.CharField(max_length=40)
    model = forms.CharField(max_length=40)
    source = forms.CharField(label="Where the figures come from", max_length=120, required=False)

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        for code, (label, _) in _JUDGED.items():
            for bound, word in _BOUNDS.items():
                self.fields[f"{code}_{bound}"] = TypedField("angle", required=False, label=f"{label}, {word}, degrees")

    def clean(self) -> dict[str, Any]:
        """Adds ``rows``; a least above its most is refused."""
        data, rows = super().clean(), []
        for code, (_, subjects) in _JUDGED.items():
            bounds = {bound: v for bound in _BOUNDS if (v := data.get(f"{code}_{bound}")) is not None}
            if "min" in bounds and "max" in bounds and bounds["min"] > bounds["max"]:
                self.add_error(f"{code}_min", "The least is more than the most.")
            rows += [subject | bounds for subject in subjects if bounds]
        return data | {"rows": rows}


def new(request: HttpRequest) -> HttpResponse:
    """Add a specification."""
    demand(allowed=may_work(request.user))
    form = SpecificationForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        words = {key: form.cleaned_data[key] for key in ("name", "make", "model", "source")}
        add_specification(request.user, form.cleaned_data["rows"], **words)
        return redirect("reports:fleets")
    context = {"form": form, "title": "Add figures for a make and model"}
    return render(request, "one_form.html", context, status=422 if form.errors else 200)
