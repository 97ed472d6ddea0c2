"""What the office says of the business."""

from __future__ import annotations

import zoneinfo
from typing import Any

from django import forms

from rectaxis.business.letter_words import NAMES
from rectaxis.business.models import Business
from rectaxis.record.pictures import MOST_BYTES


def _zones() -> list[tuple[str, str]]:
    return [(name, name.replace("_", " ")) for name in sorted(zoneinfo.available_timezones())]


class BusinessForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """Its name, address and logo stand at the head of every report that is sealed from then on."""

    time_zone = forms.ChoiceField(choices=_zones)
    logo_file = forms.FileField(label="Logo, a JPEG, PNG or WebP picture", required=False)
    without_logo = forms.BooleanField(label="Without a logo", required=False)

    class Meta:
        model = Business
        fields = (
            "name",
            "address",
            "contact",
            "words",
            "mail_from",
            "letter_subject",
            "letter_body",
            "time_zone",
            "dates",
            "side_names",
            "prefix",
            "next_number",
        )
        widgets = {name: forms.Textarea(attrs={"rows": 3}) for name in ("address", "words")} | {
            "letter_body": forms.Textarea(attrs={"rows": 9})
        }
        help_texts = {name: "Filled in: " + ", ".join(f"{{{one}}} {said}" for one, said in NAMES.items())
                      for name in ("letter_subject", "letter_body")}  # fmt: skip

    def clean_logo_file(self) -> Any:
        """Refused by size before anything is read."""
        file = self.cleaned_data["logo_file"]
        if file is not None and file.size > MOST_BYTES:
            raise forms.ValidationError(f"At most {MOST_BYTES / 1e6:.0f} MB fit; this has {file.size / 1e6:.0f} MB.")
        return file
