"""What is typed of a happening."""

from __future__ import annotations

from django import forms

from rectaxis.years.models import Happening


class HappeningForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """Something that happened between visits, with a photo of it or of a paper."""

    photo = forms.ImageField(label="A photo of it, or of the paper", required=False)

    class Meta:
        model = Happening
        fields = ("day", "odometer", "kind", "what", "axle", "renewed")
        widgets = {"day": forms.DateInput(attrs={"type": "date"})}
