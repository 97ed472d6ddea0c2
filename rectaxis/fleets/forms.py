"""Forms of a fleet and of a vehicle: what it is called, and how its axles stand, one row for each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeAlias

from django import forms

from alignment.model.vehicle import ROLES, SIDES
from alignment.patterns import Pattern, patterns
from rectaxis.common.fields import TypedField
from rectaxis.fleets.models import Fleet, Vehicle, check_layout
from rectaxis.fleets.vin import VinError, plain

MOST_AXLES = 8
GROUPS = (("car", "Car"), ("van", "Van"), ("truck", "Truck"), ("bus", "Bus"), ("trailer", "Trailer"))
BEAM = "beam-"
_SET_BY = (
    ("", "does not adjust"), ("behind", "two tie rods, behind"), ("ahead", "two tie rods, ahead"),
    (f"{BEAM}behind", "one track rod behind, and a drag link"), (f"{BEAM}ahead", "one track rod ahead, and a drag link"),
)  # fmt: skip
"""How toe is set: by a rod for each wheel, or on a beam that steers by one across and a link."""
ON_BEAMS = ("truck", "bus", "trailer")
"""Groups whose steered axles are beams, unless somebody says otherwise."""


class FleetForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """A customer."""

    class Meta:
        model = Fleet
        fields = ("name", "yard")


class AxleForm(forms.Form):
    """One axle, numbered from the front by its place among the rows."""

    role = forms.ChoiceField(choices=[(role, role) for role in ROLES])
    position = TypedField("length", label="Behind axle 1, mm")
    track = TypedField("length", above_zero=True, label="Track, mm")
    rigid = forms.BooleanField(required=False, label="one beam")
    steers = forms.BooleanField(required=False, label="steers")
    duals = forms.BooleanField(required=False, label="twin wheels")
    rods = forms.ChoiceField(choices=_SET_BY, required=False, label="Toe set by")

    def as_axle(self) -> dict[str, Any]:
        """The axle as the job file gives it."""
        data = self.cleaned_data
        axle = {"role": data["role"], "position_mm": data["position"], "track_mm": data["track"]}
        if data["rigid"]:
            axle["rigid"] = True
        if data["steers"] != (data["role"] == "steer"):
            axle["steers"] = data["steers"]
        return axle


class StandingAxleForm(AxleForm):
    """An axle of a vehicle that is there: what sets its toe is listed among what adjusts."""

    rods = None  # type: ignore[assignment] # how Django takes a field away


Axles: TypeAlias = "forms.BaseFormSet[AxleForm]"

AxleFormSet: type[Axles] = forms.formset_factory(
    AxleForm, extra=0, min_num=1, max_num=MOST_AXLES, validate_min=True, validate_max=True
)
StandingAxleFormSet: type[Axles] = forms.formset_factory(
    StandingAxleForm, extra=0, min_num=1, max_num=MOST_AXLES, validate_min=True, validate_max=True
)


class VehicleForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """What a vehicle is called, and what of its layout is not an axle's."""

    group = forms.ChoiceField(label="It is a", choices=GROUPS)
    kingpin = TypedField(
        "length", above_zero=True, required=False, label="King pin or drawbar eye ahead of axle 1, mm (trailers)"
    )
    steering_ratio = TypedField("plain", above_zero=True, required=False, label="Steering ratio, if known")
    competes = forms.BooleanField(required=False, label="It competes: its reports have a set-up sheet")
    pitch = TypedField("length", above_zero=True, required=False, label="Thread pitch of the rods, mm, if measured")
    arm = TypedField("length", above_zero=True, required=False, label="Arm from steering axis to rod, mm, if measured")

    SAYS_RODS = True

    class Meta:
        model = Vehicle
        fields = ("unit", "registration", "vin", "make", "model", "year", "yard")

    def clean_vin(self) -> str:
        """The number in capitals; a check digit that does not agree is said later, not refused."""
        typed = self.cleaned_data["vin"]
        try:
            return plain(typed) if typed else ""
        except VinError as error:
            raise forms.ValidationError(str(error)) from None

    def layout(self, axles: Axles) -> dict[str, Any]:
        """The layout of both forms together. **Raises** ValidationError in the core's words."""
        data = self.cleaned_data
        vehicle: dict[str, Any] = {"axles": [form.as_axle() for form in axles]}
        layout: dict[str, Any] = {"vehicle": vehicle, "group": data["group"]}
        if self.SAYS_RODS:
            layout["adjusters"] = self._rods(axles)
        if data["kingpin"]:
            vehicle["kingpin_mm"] = -data["kingpin"]
            layout["datum"] = {"kind": "kingpin", "axle": len(axles.forms)}
        layout["duals"] = [number for number, form in enumerate(axles, start=1) if form.cleaned_data["duals"]]
        if data["steering_ratio"]:
            layout["steering_ratio"] = data["steering_ratio"]
        if data["competes"]:
            layout["competes"] = True
        check_layout(layout)
        return layout

    def _rods(self, axles: Axles) -> list[dict[str, Any]]:
        lie = {
            number: form.cleaned_data["rods"] for number, form in enumerate(axles, start=1) if form.cleaned_data["rods"]
        }
        measured = {
            name: self.cleaned_data[field]
            for name, field in (("pitch_mm", "pitch"), ("arm_mm", "arm"))
            if self.cleaned_data[field]
        }
        return rods_of(lie, measured)


class StandingVehicleForm(VehicleForm):
    """A vehicle that is there: its adjusters have a page of their own."""

    pitch = None  # type: ignore[assignment] # how Django takes a field away
    arm = None  # type: ignore[assignment] # as above
    SAYS_RODS = False


def rods_of(lie: Mapping[int, str], measured: Mapping[str, float]) -> list[dict[str, Any]]:
    """The rods of axles, by how each is set: one of _SET_BY. What was not measured is learned from the first move."""
    rods: list[dict[str, Any]] = []
    beams = [axle for axle, where in lie.items() if where.startswith(BEAM)]
    for axle, where in lie.items():
        ahead = where.endswith("ahead")
        if axle not in beams:
            rods += [{"kind": "tie_rod", "axle": axle, "side": side, "ahead": ahead, **measured} for side in SIDES]
            continue
        # The first link comes from the steering box: the next beam hangs on its axle by a link of its own, and turns with it.
        carries = {"carries": beams[1]} if axle == beams[0] and len(beams) > 1 else {}
        rods += [
            {"kind": "track_rod", "axle": axle, "ahead": ahead, **measured},
            {"kind": "drag_link", "axle": axle, **carries},
        ]
    return rods


def tie_rods(layout: dict[str, Any]) -> list[dict[str, Any]]:
    """The rods among a layout's adjusters that set toe."""
    return [entry for entry in layout.get("adjusters", []) if entry["kind"] in ("tie_rod", "track_rod")]


def _set_by(rod: Mapping[str, Any]) -> str:
    where = "ahead" if rod.get("ahead") else "behind"
    return f"{BEAM}{where}" if rod["kind"] == "track_rod" else where


def rows_of(layout: dict[str, Any]) -> list[dict[str, Any]]:
    """A layout's axles as the rows of the form begin with them."""
    rods = {rod["axle"]: _set_by(rod) for rod in tie_rods(layout)}
    return [
        {"role": axle["role"], "position": f"{axle['position_mm']:g}", "track": f"{axle['track_mm']:g}",
         "rigid": axle.get("rigid", False), "steers": axle.get("steers", axle["role"] == "steer"),
         "duals": number in layout.get("duals", ()), "rods": rods.get(number, "")}
        for number, axle in enumerate(layout["vehicle"]["axles"], start=1)
    ]  # fmt: skip


def words_of(layout: dict[str, Any]) -> dict[str, Any]:
    """What the vehicle's own form begins with for a layout."""
    words: dict[str, Any] = {"group": layout.get("group", "van"), "steering_ratio": layout.get("steering_ratio", "")}
    words["competes"] = layout.get("competes", False)
    kingpin = layout["vehicle"].get("kingpin_mm")
    if kingpin is not None:
        words["kingpin"] = f"{-kingpin:g}"
    for rod in tie_rods(layout)[:1]:
        for field, name in (("pitch", "pitch_mm"), ("arm", "arm_mm")):
            words |= {field: f"{rod[name]:g}"} if rod.get(name) else {}
    return words


def layout_of_pattern(pattern: Pattern) -> dict[str, Any]:
    """A pattern as a layout: its dimensions are to be overwritten by a tape. Steered axles have rods behind them."""
    where = f"{BEAM}behind" if pattern.group in ON_BEAMS else "behind"
    rods = rods_of({axle.number: where for axle in pattern.vehicle.axles if axle.steers}, {})
    extra = {"group": pattern.group, "pattern": pattern.code, "duals": sorted(pattern.duals), "adjusters": rods}
    ratio = {} if pattern.steering_ratio is None else {"steering_ratio": pattern.steering_ratio}
    return pattern.as_dict() | extra | ratio


def pattern_layout(code: str) -> dict[str, Any] | None:
    """The layout of the pattern of that code, None for a code that there is not."""
    found = patterns().get(code)
    return None if found is None else layout_of_pattern(found)
