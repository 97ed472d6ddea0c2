"""Entering figures for a make and model with two axles."""

from typing import Any, cast

from django import forms
from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import redirect, render

from alignment.errors import SpecificationError
from alignment.judge.specification import TableRow
from alignment.model.vehicle import SIDES
from alignment.quantities import DIRECTIONS, QUANTITIES, WHEELS_OF_TOE
from rectaxis.common.fields import TypedField
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request
from rectaxis.specs.actions.add_specification import add_specification

_JUDGED: dict[str, tuple[str, list[dict[str, Any]]]] = {
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
        data: dict[str, Any] = super().clean() or {}
        rows: list[dict[str, Any]] = []
        for code, (_, subjects) in _JUDGED.items():
            bounds = {bound: v for bound in _BOUNDS if (v := data.get(f"{code}_{bound}")) is not None}
            if "min" in bounds and "max" in bounds and bounds["min"] > bounds["max"]:
                self.add_error(f"{code}_min", "The least is more than the most.")
            rows += [subject | bounds for subject in subjects if bounds]
        return data | {"rows": rows}


_LABELS = {"pair": "axle {0} and the next", "axle": "axle", "wheel": "wheels of axle", "vehicle": "vehicle"}
_CHOICES = [("", ""), *((name, f"{q.label} ({_LABELS[q.scope].format('n')})") for name, q in QUANTITIES.items())]
_BLANK_ROWS = 6


class RowForm(forms.Form):
    """One further row: a result, the axle it is of, and its bounds. An empty one counts for nothing.

    With ``over`` the figures of a toe or a direction are lengths: at that diameter, or over that length along the vehicle.
    """

    quantity = forms.ChoiceField(choices=_CHOICES, required=False)
    axle = forms.IntegerField(min_value=1, max_value=20, required=False)
    least = TypedField("angle", required=False)
    preferred = TypedField("angle", required=False)
    most = TypedField("angle", required=False)
    over = TypedField("length", required=False)

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        # Lengths are typed in mm or inches, angles in degrees or minutes.
        quantity, over = (self.data.get(f"{self.prefix}-{name}", "") for name in ("quantity", "over"))
        if over.strip() or QUANTITIES.get(quantity, QUANTITIES["camber_deg"]).unit == "mm":
            for name in ("least", "preferred", "most"):
                cast("TypedField", self.fields[name]).dimension = "length"

    def clean(self) -> dict[str, Any]:
        """Says what a row that was begun still needs."""
        data: dict[str, Any] = super().clean() or {}
        bounds = [data.get(name) for name in ("least", "preferred", "most")]
        if not data.get("quantity"):
            if any(bound is not None for bound in bounds):
                self.add_error("quantity", "Choose what these figures are for.")
            return data
        if QUANTITIES[data["quantity"]].scope != "vehicle" and not data.get("axle"):
            self.add_error("axle", "Say of which axle.")
        if all(bound is None for bound in bounds):
            self.add_error("least", "Type at least one figure.")
        if data.get("least") is not None and data.get("most") is not None and data["least"] > data["most"]:
            self.add_error("least", "The least is more than the most.")
        if data.get("over") is not None and not self.errors:
            self._read_over(data)
        return data

    def _read_over(self, data: dict[str, Any]) -> None:
        """Turn lengths at a diameter, or over a length, into angles."""
        if data["quantity"] not in WHEELS_OF_TOE and data["quantity"] not in DIRECTIONS:
            self.add_error("over", "Only a toe or a direction is given over a length. Leave it empty for this result.")
            return
        try:
            row = TableRow(data["quantity"], "mm", minimum=data["least"], preferred=data["preferred"],
                           maximum=data["most"], diameter_mm=data["over"]).as_rule()  # fmt: skip
        except SpecificationError as error:
            self.add_error("over", f"{error.reason[0].upper()}{error.reason[1:]}.")
            return
        data |= {"least": row.minimum, "preferred": row.preferred, "most": row.maximum}

    def rows(self) -> list[dict[str, Any]]:
        """The specification's rows that it stands for: one for each wheel where the result is a wheel's."""
        data = self.cleaned_data
        if not data.get("quantity"):
            return []
        names = {"min": "least", "preferred": "preferred", "max": "most"}
        row: dict[str, Any] = {"quantity": data["quantity"]}
        row |= {bound: data[name] for bound, name in names.items() if data[name] is not None}
        match QUANTITIES[data["quantity"]].scope:
            case "wheel":
                return [row | {"axle": data["axle"], "side": side} for side in SIDES]
            case "pair":
                return [row | {"axles": [data["axle"], data["axle"] + 1]}]
            case "axle":
                return [row | {"axle": data["axle"]}]
        return [row]


RowFormSet = forms.formset_factory(RowForm, extra=_BLANK_ROWS, max_num=40)


def new(request: Request) -> HttpResponse:
    """Add a specification."""
    demand(allowed=may_work(request.user))
    form, more = SpecificationForm(request.POST or None), RowFormSet(request.POST or None, prefix="row")
    if request.method == "POST" and form.is_valid() and more.is_valid():
        words = {key: form.cleaned_data[key] for key in ("name", "make", "model", "source")}
        rows = form.cleaned_data["rows"] + [row for one in more for row in one.rows()]
        add_specification(request.user, rows, **words)
        return redirect(settings.PLACES["fleets"])
    context = {"form": form, "more": more, "title": "Add figures for a make and model"}
    return render(request, "specs/new.html", context, status=422 if request.method == "POST" else 200)
