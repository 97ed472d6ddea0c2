"""Forms of planning a visit and of reading a job file in."""

from typing import Any

from django import forms
from django.urls import reverse_lazy
from django.utils import timezone

from alignment.jobfile import MOST_BYTES
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit

SCOPES = (("all", "Everything that the kit reads"), ("toe", "Quick: toe in front only, thrust line not known"))


class NewJobForm(forms.Form):
    """Which vehicle, with which kit, when and why."""

    vehicle = forms.ModelChoiceField(
        Vehicle.objects.select_related("fleet"),
        widget=forms.Select(attrs={"hx-get": reverse_lazy("day:kits-for"), "hx-target": "#abilities"}),
    )
    kit = forms.ModelChoiceField(Kit.objects.all(), widget=forms.RadioSelect, empty_label=None)
    scope = forms.ChoiceField(label="How much", choices=SCOPES, initial="all", widget=forms.RadioSelect, required=False)
    planned_at = forms.DateTimeField(
        label="When", initial=timezone.now, widget=forms.DateTimeInput(format="%Y-%m-%d %H:%M")
    )
    asked = forms.CharField(label="What was asked", max_length=200, required=False)

    def clean_scope(self) -> Any:
        """The whole job where nothing is chosen."""
        return self.cleaned_data["scope"] or "all"


class JobFileForm(forms.Form):
    """A job file, and the vehicle it is about: the file itself does not name one."""

    vehicle = forms.ModelChoiceField(Vehicle.objects.select_related("fleet"))
    file = forms.FileField(label="Job file", max_length=200)

    def clean_file(self) -> object:
        """Refuse by size before anything is read."""
        file = self.cleaned_data["file"]
        if file.size > MOST_BYTES:
            raise forms.ValidationError(
                f"The file is {file.size / 1e6:.1f} MB; a job file has at most {MOST_BYTES / 1e6:.0f} MB."
            )
        return file
