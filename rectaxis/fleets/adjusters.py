"""The form of one adjuster, made from what the core says that its kind needs."""

from __future__ import annotations

from dataclasses import MISSING, Field, fields
from typing import Any, cast

from django import forms

from alignment.adjust.hardware import KINDS, Hardware
from alignment.model.vehicle import SIDES
from alignment.speech import side_name
from rectaxis.common.fields import TypedField

BOTH = "both"
_LABELS = {
    "pitch_mm": "Thread pitch, mm", "arm_mm": "Arm from the wheel's axis to the rod or link, mm", "double": "Left and right-hand threads",
    "outer_thread": "Thread at the wheel's end", "seen_from": "Seen from the", "ahead": "Lies ahead of the axle",
    "reach_flats": "Goes how many flats each way", "longer_turns": "Longer turns the wheels to the",
    "longer_moves": "Longer moves the axle to the", "carries": "A second steered axle hangs on it: its number, else 0",
    "step_deg": "Steps of the wedges, degrees",
    "lever_mm": "From this end to the pivot at the other side, mm", "height_mm": "From upper to lower ball joint, mm",
    "arm": "Which arm", "bolt": "Which bolt", "spacing_mm": "Between the two bolts, mm", "reach_mm": "Reach, mm",
    "steers": "The wheel steers", "toe_per_camber": "Toe that comes with one degree of camber, degrees",
    "thickness_mm": "One shim, mm", "pushes": "One more pushes", "installed": "In place now", "most": "At most",
    "throw_mm": "Cam's throw, mm", "mark_deg": "One mark, degrees", "stop_deg": "Stop at, degrees", "where": "At the spring's",
    "step_mm": "Smallest step, mm", "mounting": "Mounting", "cost": "Effort to move it, where a tie rod is 1",
    "table": "Plates: number, camber, caster, toe, a line each",
}  # fmt: skip
_NAMES = ("camber", "caster", "toe")


MOST_DEG = 10.0
"""No plate leans or turns a wheel further."""
LONGEST_NUMBER = 8


class PlatesField(forms.CharField):
    """A table of numbered plates: a line each, with its number and what it stands for."""

    widget = forms.Textarea(attrs={"rows": 9, "placeholder": "1  -0.4  0.1  0.02"})

    def clean(self, value: Any) -> dict[str, dict[str, float]]:
        """The table. Raises ValidationError that names the line."""
        table: dict[str, dict[str, float]] = {}
        for number, line in enumerate(super().clean(value).splitlines(), start=1):
            words = line.replace(",", ".").replace("\u2212", "-").split()
            if not words:
                continue
            try:
                angles = dict(zip(_NAMES, map(float, words[1:]), strict=False))
            except ValueError:
                angles = {}
            wild = any(not abs(size) <= MOST_DEG for size in angles.values())
            if not angles or wild or len(words[0]) > LONGEST_NUMBER or len(words) > 1 + len(_NAMES):
                expected = "expected a plate's number and one to three angles"
                raise forms.ValidationError(f"Line {number}: {expected}, got {line[:40]}.")
            table[words[0]] = angles
        return table


_CALLED = {"arm_shims": "shims at an arm", "spring_shims": "shims at a spring", "cam": "cam at an arm",
           "insert_plate": "numbered plates"}  # fmt: skip
"""Kinds whose own name does not tell them from another in a list."""


def kinds() -> list[tuple[str, str]]:
    """Every kind of adjuster with its name."""
    names = {code: _CALLED.get(code, kind.NAME) for code, kind in KINDS.items()}
    return [(code, name[0].upper() + name[1:]) for code, name in names.items()]


def adjuster_form(code: str, axles: int) -> type[forms.Form]:
    """The form of a kind of adjuster on a vehicle of so many axles. **Raises** KeyError."""
    kind = KINDS[code]
    made: dict[str, forms.Field] = {"axle": forms.TypedChoiceField(
        coerce=int, choices=[(str(number), f"Axle {number}") for number in range(1, axles + 1)])}  # fmt: skip
    for one in fields(kind):
        if one.name == "side":
            choices = [(BOTH, "both sides"), *((side, side_name(side)) for side in SIDES)]
            made |= {"side": forms.ChoiceField(choices=choices)} if kind.SIDED else {}
        elif one.name != "axle":
            made[one.name] = _field(kind, one)
    return type("AdjusterForm", (forms.Form,), made)


def _field(kind: type[Hardware], one: Field[Any]) -> forms.Field:
    label, default = _LABELS[one.name], None if one.default is MISSING else one.default
    extra: dict[str, Any] = {"label": label, "initial": default}
    if one.type == "float | None":
        extra |= {"label": f"{label}, if measured", "required": False}
    if one.name in kind.WORDS:
        return forms.ChoiceField(choices=[(word, word) for word in kind.WORDS[one.name]], **extra)
    if one.name == "table":
        return PlatesField(label=label)
    if one.type == "bool":
        return forms.BooleanField(required=False, **extra)
    if one.type == "int":
        return forms.IntegerField(min_value=-12, max_value=60, **extra)
    if one.type == "str":
        return forms.CharField(max_length=40, **extra)
    dimension = "length" if one.name.endswith("_mm") else "angle" if one.name.endswith("_deg") else "plain"
    return TypedField(dimension, above_zero=dimension != "plain", **extra)


class PackingsForm(forms.Form):
    """Packings on the springs of an axle, and the ride height that the maker gives."""

    axle = forms.TypedChoiceField(coerce=int)
    thickness_mm = TypedField("length", above_zero=True, label="One packing, mm")
    ratio = TypedField("plain", above_zero=True, label="Body lifted at the wheel for each mm", initial="1")
    most_above = forms.IntegerField(min_value=0, max_value=9, label="At most above the spring", initial=2)
    most_below = forms.IntegerField(min_value=0, max_value=9, label="At most below the spring", initial=3)
    most = forms.IntegerField(min_value=1, max_value=18, label="At most on a spring", initial=5)
    above = forms.IntegerField(min_value=0, max_value=9, label="Above it now", initial=0)
    below = forms.IntegerField(min_value=0, max_value=9, label="Below it now", initial=0)
    low_mm = TypedField("length", above_zero=True, label="Ride height by the maker, at least, mm")
    high_mm = TypedField("length", above_zero=True, label="At most, mm")

    def __init__(self, *words: Any, axles: int, **named: Any) -> None:
        super().__init__(*words, **named)
        cast("forms.ChoiceField", self.fields["axle"]).choices = [
            (str(number), f"Axle {number}") for number in range(1, axles + 1)
        ]


def entries_of(code: str, cleaned: dict[str, Any]) -> list[dict[str, Any]]:
    """What a filled form adds to a layout: one entry, or one for each side."""
    side = cleaned.get("side", "")
    sides = SIDES if side == BOTH else (side,)
    rest = {name: value for name, value in cleaned.items() if name != "side"}
    return [{"kind": code, **rest, **({"side": one} if one else {})} for one in sides]
