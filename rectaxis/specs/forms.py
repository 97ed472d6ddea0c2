"""The forms of a specification: what it is for, and one row for each angle."""

from __future__ import annotations

from typing import Any, cast

from django import forms

from alignment.errors import SpecificationError
from alignment.judge.heights import HEIGHT, check_heights
from alignment.judge.specification import TableRow
from alignment.model.vehicle import SIDES
from alignment.quantities import DIRECTIONS, QUANTITIES, WHEELS_OF_TOE
from rectaxis.common.fields import TypedField
from rectaxis.specs.models import Specification

_SCOPES = {"pair": "axle n and the next", "axle": "axle n", "wheel": "wheels of axle n", "vehicle": "vehicle"}
_CHOICES = [("", ""), *((name, f"{q.label} ({_SCOPES[q.scope]})") for name, q in QUANTITIES.items())]
GIVEN = {"deg": "degrees", "min": "minutes", "mm": "mm", "in": "inches", "mm/m": "mm per metre"}
"""In what the figures of a row are given. Toe and directions as lengths are so at a diameter, or over a length."""
_TYPED_IN = {"deg": "deg", "min": "'", "mm": "mm", "in": "in", "mm/m": "mm"}
BOUNDS = {"least": "min", "preferred": "preferred", "most": "max"}
MOST_ROWS = 120


class SpecificationForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """What the figures are for."""

    make = forms.CharField(max_length=40)
    model = forms.CharField(max_length=40)

    class Meta:
        model = Specification
        fields = ("name", "make", "model", "year_from", "year_to", "tyres", "applies", "source")
        labels = {"source": "Where the figures come from"}

    def clean(self) -> dict[str, Any]:
        """The first year is not after the last."""
        data: dict[str, Any] = super().clean() or {}
        if data.get("year_from") and data.get("year_to") and data["year_from"] > data["year_to"]:
            self.add_error("year_from", "The first year is after the last.")
        return data


class RowForm(forms.Form):
    """One row: a result, the axle it is of, and its bounds. A row without figures counts for nothing.

    ``fixed`` rows are those that every vehicle has: what they are for is not asked.
    """

    quantity = forms.ChoiceField(choices=_CHOICES, required=False, label="What")
    axle = forms.IntegerField(min_value=1, max_value=20, required=False)
    side = forms.ChoiceField(choices=[("", "both"), *((side, side) for side in SIDES)], required=False)
    least = TypedField("angle", required=False)
    preferred = TypedField("angle", required=False)
    most = TypedField("angle", required=False)
    given = forms.ChoiceField(choices=list(GIVEN.items()), required=False, label="given in")
    over = TypedField("length", above_zero=True, required=False, label="at a diameter, or over a length of, mm")
    height = TypedField("length", above_zero=True, required=False, label="at a ride height of, mm")
    fixed = forms.CharField(required=False, max_length=1, widget=forms.HiddenInput)

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        said = self.data if self.is_bound else self.initial
        before = f"{self.prefix}-" if self.is_bound else ""
        self.quantity_said, self.axle_said = (str(said.get(f"{before}{name}") or "") for name in ("quantity", "axle"))
        self.is_fixed = bool(said.get(f"{before}fixed")) and self.quantity_said in QUANTITIES
        given = str(said.get(f"{before}given") or "deg")
        quantity = QUANTITIES.get(self.quantity_said)
        # A length is a length, whatever the row says of angles.
        self.unit = given if given in GIVEN else "deg"
        if quantity is not None and quantity.unit == "mm" and self.unit not in ("mm", "in"):
            self.unit = "mm"
        for name in BOUNDS:
            field = cast("TypedField", self.fields[name])
            field.dimension = "angle" if self.unit in ("deg", "min") else "length"
            field.unit = _TYPED_IN[self.unit]

    @property
    def figures(self) -> list[forms.BoundField]:
        """The fields of its figures, in the order of the table."""
        return [self[name] for name in (*BOUNDS, "given", "over", "height")]

    @property
    def title(self) -> str:
        """What a fixed row is for."""
        if not self.is_fixed:
            return ""
        quantity = QUANTITIES[self.quantity_said]
        if quantity.scope == "pair":
            return f"{quantity.label.capitalize()} of axles {self.axle_said} and {int(self.axle_said) + 1}"
        return quantity.label.capitalize()

    @property
    def group(self) -> str:
        """The heading under which it stands."""
        if not self.is_fixed:
            return "Further rows"
        match QUANTITIES[self.quantity_said].scope:
            case "pair":
                return "Between axles"
            case "vehicle":
                return "The vehicle as a whole"
        return f"Axle {self.axle_said}"

    def clean(self) -> dict[str, Any]:
        """Says what a row that was begun still needs."""
        data: dict[str, Any] = super().clean() or {}
        begun = any(data.get(name) is not None for name in BOUNDS)
        if not data.get("quantity"):
            if begun:
                self.add_error("quantity", "Choose what these figures are for.")
            return data
        if not begun and self.is_fixed:
            return data
        if QUANTITIES[data["quantity"]].scope != "vehicle" and not data.get("axle"):
            self.add_error("axle", "Say of which axle.")
        if not begun:
            self.add_error("least", "Type at least one figure.")
        if data.get("least") is not None and data.get("most") is not None and data["least"] > data["most"]:
            self.add_error("least", "The least is more than the most.")
        if not self.errors:
            self._read_lengths(data)
        return data

    def _read_lengths(self, data: dict[str, Any]) -> None:
        """Turn lengths at a diameter, or over a length, into angles."""
        unit = {"min": "deg", "in": "mm"}.get(self.unit, self.unit)
        is_angle = QUANTITIES[data["quantity"]].unit == "deg"
        if is_angle and unit != "deg" and data["quantity"] not in (*WHEELS_OF_TOE, *DIRECTIONS):
            self.add_error("given", "Only a toe or a direction is given as a length. Choose degrees or minutes.")
            return
        if is_angle and unit == "mm" and data.get("over") is None:
            self.add_error("over", "Say at which diameter, or over which length, these lengths are.")
            return
        try:
            row = TableRow(data["quantity"], unit, minimum=data["least"], preferred=data["preferred"],
                           maximum=data["most"], diameter_mm=data["over"]).as_rule()  # fmt: skip
        except SpecificationError as error:
            self.add_error(
                "over" if error.field == "diameter_mm" else "given", f"{error.reason[0].upper()}{error.reason[1:]}."
            )
            return
        data |= {"least": row.minimum, "preferred": row.preferred, "most": row.maximum}

    def rows(self) -> list[dict[str, Any]]:
        """The specification's rows that it stands for: one for each wheel where the result is a wheel's."""
        data = self.cleaned_data
        if not data.get("quantity") or all(data.get(name) is None for name in BOUNDS):
            return []
        row: dict[str, Any] = {"quantity": data["quantity"]}
        row |= {bound: data[name] for name, bound in BOUNDS.items() if data[name] is not None}
        row |= {HEIGHT: data["height"]} if data.get("height") is not None else {}
        match QUANTITIES[data["quantity"]].scope:
            case "wheel":
                sides = (data["side"],) if data.get("side") else SIDES
                return [row | {"axle": data["axle"], "side": side} for side in sides]
            case "pair":
                return [row | {"axles": [data["axle"], data["axle"] + 1]}]
            case "axle":
                return [row | {"axle": data["axle"]}]
        return [row]

    def as_typed(self) -> dict[str, str]:
        """What was typed in it, to be shown again."""
        return {name: str(self.data.get(f"{self.prefix}-{name}", "")).strip() for name in self.fields}


class RowsTogether(forms.BaseFormSet):  # type: ignore[type-arg] # it takes no parameter at run time
    """Rows that go by a ride height are tables together."""

    def clean(self) -> None:
        """Says which table is not one."""
        if any(self.errors):
            return
        try:
            check_heights([row for one in self.forms for row in one.rows()])
        except SpecificationError as error:
            raise forms.ValidationError(f"{error.reason[0].upper()}{error.reason[1:]}.") from None


RowFormSet = forms.formset_factory(RowForm, formset=RowsTogether, extra=0, max_num=MOST_ROWS, validate_max=True)
