"""Forms of planning a visit and of reading a job file in."""

from collections.abc import Sequence
from typing import Any, cast

from django import forms
from django.db.models import Q
from django.utils import timezone
from uuid6 import uuid7

from alignment.jobfile import MOST_BYTES
from rectaxis.day.picking import VehiclePick
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User

SCOPES = (("all", "Everything that the kit reads"), ("toe", "Quick: toe in front only, thrust line not known"))


class KitField(forms.ModelChoiceField):  # type: ignore[type-arg] # it takes no parameter at run time
    """A kit, with how its certificate stands where it does not hold."""

    def label_from_instance(self, obj: Kit) -> str:
        """The kit's name, and what is wrong with its certificate."""
        day = timezone.localdate()
        return obj.name if obj.certified(day) else f"{obj.name}: {obj.certificate(day)}"


class FurtherKits(forms.ModelMultipleChoiceField):  # type: ignore[type-arg] # as above
    """Kits, each with how its certificate stands where it does not hold."""

    label_from_instance = KitField.label_from_instance


class NewJobForm(forms.Form):
    """Which vehicle, with which kit, when and why."""

    key = forms.UUIDField(widget=forms.HiddenInput, required=False, initial=uuid7)
    vehicle = forms.ModelChoiceField(
        Vehicle.objects.select_related("fleet"),
        widget=VehiclePick(kits=True),
    )
    kit = KitField(Kit.objects.none(), widget=forms.RadioSelect, empty_label=None)
    further = FurtherKits(
        Kit.objects.none(), label="Further kits beside it, for what it does not read", required=False,
        widget=forms.CheckboxSelectMultiple,
    )  # fmt: skip
    scope = forms.ChoiceField(label="How much", choices=SCOPES, initial="all", widget=forms.RadioSelect, required=False)
    planned_at = forms.DateTimeField(
        label="When", initial=timezone.now, widget=forms.DateTimeInput(format="%Y-%m-%d %H:%M")
    )
    asked = forms.CharField(label="What was asked", max_length=200, required=False)

    def __init__(self, *words: Any, has: Sequence[Kit] = (), **named: Any) -> None:
        """``has`` are the kits that a visit has already: it keeps those that were put away since."""
        super().__init__(*words, **named)
        offered = Kit.objects.filter(Q(retired=False) | Q(pk__in=[kit.pk for kit in has]))
        for name in ("kit", "further"):
            cast("forms.ModelChoiceField[Kit]", self.fields[name]).queryset = offered
        if offered.count() <= 1:
            # Nothing stands beside the only one.
            del self.fields["further"]

    def clean_scope(self) -> Any:
        """The whole job where nothing is chosen."""
        return self.cleaned_data["scope"] or "all"

    def clean_further(self) -> list[Kit]:
        """The further kits without the first."""
        return [kit for kit in self.cleaned_data["further"] if kit != self.cleaned_data.get("kit")]


class VisitForm(NewJobForm):
    """A visit that is planned: the same but for its vehicle, and who does it."""

    key = None  # type: ignore[assignment] # how Django takes a field away
    vehicle = None  # type: ignore[assignment] # as above
    technician = forms.ModelChoiceField(
        User.objects.filter(is_active=True).exclude(role=User.Role.FLEET).order_by("username"),
        label="Who does it", empty_label=None,
    )  # fmt: skip


class JobFileForm(forms.Form):
    """A job file, and the vehicle it is about: the file itself does not name one."""

    vehicle = forms.ModelChoiceField(Vehicle.objects.select_related("fleet"), widget=VehiclePick())
    file = forms.FileField(label="Job file", max_length=200)

    def clean_file(self) -> object:
        """Refuse by size before anything is read."""
        file = self.cleaned_data["file"]
        if file.size > MOST_BYTES:
            raise forms.ValidationError(
                f"The file is {file.size / 1e6:.1f} MB; a job file has at most {MOST_BYTES / 1e6:.0f} MB."
            )
        return file
