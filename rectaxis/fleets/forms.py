"""Forms of a fleet and of a two-axle vehicle."""

from typing import Any

from django import forms

from alignment.vehicle import SIDES
from rectaxis.common.fields import TypedField
from rectaxis.fleets.models import Fleet, Vehicle, check_layout


class FleetForm(forms.ModelForm):
    """A customer."""

    class Meta:
        model = Fleet
        fields = ("name", "yard")


class VehicleForm(forms.ModelForm):
    """A vehicle with a steered front axle and a driven rear axle, and the rods that set its toe."""

    wheelbase = TypedField("length", above_zero=True, label="Wheelbase, mm")
    front_track = TypedField("length", above_zero=True, label="Front track, mm")
    rear_track = TypedField("length", above_zero=True, label="Rear track, mm")
    rear = forms.ChoiceField(
        label="Rear axle", choices=[("links", "independent, toe set by threaded links"), ("fixed", "independent, toe does not adjust"), ("beam", "one rigid beam")]
    )  # fmt: skip
    steering_ratio = TypedField("plain", above_zero=True, required=False, label="Steering ratio, if known")
    pitch = TypedField("length", above_zero=True, label="Thread pitch of the rods, mm", initial="1.5")
    arm = TypedField("length", above_zero=True, label="Arm from steering axis to rod, mm", initial="150")
    rods_lie = forms.ChoiceField(
        label="The front rods lie", choices=[("behind", "behind the axle"), ("ahead", "ahead of the axle")]
    )

    class Meta:
        model = Vehicle
        fields = ("unit", "registration", "make", "model", "year")

    def clean(self) -> dict[str, Any]:
        """Adds ``layout``, checked by the core."""
        data = super().clean()
        if not self.errors:
            data["layout"] = self._layout(data)
            check_layout(data["layout"])
        return data

    @staticmethod
    def _layout(data: dict[str, Any]) -> dict[str, Any]:
        rear = {"role": "drive", "position_mm": data["wheelbase"], "track_mm": data["rear_track"]}
        axles = [
            {"role": "steer", "position_mm": 0, "track_mm": data["front_track"]},
            rear | {"rigid": data["rear"] == "beam"},
        ]
        rods = [(1, side, data["rods_lie"] == "ahead") for side in SIDES]
        rods += [(2, side, False) for side in SIDES] if data["rear"] == "links" else []
        layout = {
            "vehicle": {"axles": axles, "thrust_axle": 2},
            "rods": [{"axle": axle, "side": side, "ahead": ahead, "pitch_mm": data["pitch"], "arm_mm": data["arm"]}
                     for axle, side, ahead in rods],
        }  # fmt: skip
        return layout | ({"steering_ratio": data["steering_ratio"]} if data["steering_ratio"] else {})
