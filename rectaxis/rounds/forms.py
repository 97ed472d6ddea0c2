"""Forms of places, ferries, hours, absences and wants."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

from django import forms

from rectaxis.common.days import within_reason
from rectaxis.day.picking import VehiclePick
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.rounds.models import Absence, Call, Crew, Ferry, Place, workdays

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_MOST_LISTED = 80


class Weekdays(forms.TypedMultipleChoiceField):
    """Some days of the week."""

    def __init__(self, *, label: str, **named: Any) -> None:
        super().__init__(
            choices=list(enumerate(DAYS)),
            coerce=int,
            widget=forms.CheckboxSelectMultiple,
            label=label,
            initial=workdays,
            **named,
        )


class Times(forms.CharField):
    """Times of day in a row, such as 07:30 09:15 12:00."""

    def prepare_value(self, value: Any) -> Any:
        return " ".join(f"{one:%H:%M}" for one in value) if isinstance(value, list) else value

    def clean(self, value: Any) -> Any:
        words = re.split(r"[\s,;]+", str(super().clean(value)).strip())
        try:
            return [dt.time.fromisoformat(word.replace(".", ":").zfill(5)) for word in words if word][:_MOST_LISTED]
        except ValueError:
            raise forms.ValidationError("Expected times of day such as 07:30 09:15 12:00.") from None


class Dates(forms.CharField):
    """Days in a row, such as 2026-12-24 2026-12-25."""

    def prepare_value(self, value: Any) -> Any:
        return " ".join(f"{one:%Y-%m-%d}" for one in value) if isinstance(value, list) else value

    def clean(self, value: Any) -> Any:
        words = re.split(r"[\s,;]+", str(super().clean(value) or "").strip())
        try:
            return sorted({dt.date.fromisoformat(word) for word in words if word})[:_MOST_LISTED]
        except ValueError:
            raise forms.ValidationError("Expected days such as 2026-12-24 2026-12-25.") from None


class Words(forms.CharField):
    """Words in a row, with commas between."""

    def prepare_value(self, value: Any) -> Any:
        return ", ".join(value) if isinstance(value, list) else value

    def clean(self, value: Any) -> Any:
        return [word.strip()[:40] for word in str(super().clean(value) or "").split(",") if word.strip()][:_MOST_LISTED]


class Stock(forms.CharField):
    """Parts and how many of each, a line for each: shim 0.5: 4."""

    def prepare_value(self, value: Any) -> Any:
        return "\n".join(f"{name}: {many}" for name, many in value.items()) if isinstance(value, dict) else value

    def clean(self, value: Any) -> Any:
        found = {}
        for line in str(super().clean(value) or "").splitlines()[:_MOST_LISTED]:
            name, _, many = line.rpartition(":")
            if line.strip() and not (name.strip() and many.strip().isdecimal() and len(many.strip()) < 7):  # noqa: PLR2004 - digits
                raise forms.ValidationError(f"Expected a part and how many, such as shim 0.5: 4; got {line[:60]}.")
            if line.strip():
                found[name.strip()[:60]] = int(many)
        return found


def _time() -> forms.TimeInput:
    return forms.TimeInput(format="%H:%M", attrs={"placeholder": "08:00"})


def _moment() -> forms.DateTimeInput:
    return forms.DateTimeInput(format="%Y-%m-%d %H:%M", attrs={"placeholder": "2026-12-24 08:00"})


def check_day(value: dt.date) -> None:
    """Raises ValidationError for a day that no calendar is used for."""
    if not within_reason(value.date() if isinstance(value, dt.datetime) else value):
        raise forms.ValidationError("Expected a day of our time, such as 2026-12-24.")


class PlaceForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """A yard, a home or a port."""

    days = Weekdays(label="Days on which it is open")
    closed = Dates(label="Days on which it is closed all the same, such as 2026-12-24", required=False, max_length=900)

    class Meta:
        model = Place
        fields = ("kind", "fleet", "name", "island", "north", "east", "opens", "closes", "days", "closed", "unpack", "ground", "tilt", "power", "signal",
                  "contact", "ready")  # fmt: skip
        widgets = {"opens": _time(), "closes": _time()}


class FerryForm(forms.ModelForm):  # type: ignore[type-arg] # as above
    """A line and its departures."""

    departs = Times(label="Departures, such as 07:30 09:15 12:00", max_length=600)
    days = Weekdays(label="Days on which it goes")

    class Meta:
        model = Ferry
        fields = ("origin", "target", "departs", "days", "minutes", "check_in", "capacity", "books_until")

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        for name in ("origin", "target"):
            self.fields[name].queryset = Place.objects.filter(kind=Place.Kind.PORT)  # type: ignore[attr-defined] # of that kind of field


class SailingForm(forms.Form):
    """One departure on one day."""

    day = forms.DateField(widget=forms.DateInput(attrs={"type": "date"}), validators=[check_day])
    departs = forms.TimeField(label="Departure", widget=_time())
    cancelled = forms.BooleanField(label="It is cancelled", required=False)
    booked = forms.IntegerField(label="Places booked for our vans", min_value=0, max_value=50, initial=0)


class CrewForm(forms.ModelForm):  # type: ignore[type-arg] # as above
    """Somebody's hours, home and van."""

    days = Weekdays(label="Days of work")
    skills = Words(
        label="Has learned, with commas between, such as air suspension, tankers", required=False, max_length=600
    )
    stock = Stock(
        label="Parts in the van, a line for each, such as shim 0.5: 4",
        required=False,
        max_length=4000,
        widget=forms.Textarea(attrs={"rows": 3}),
    )
    kits = forms.ModelMultipleChoiceField(
        Kit.objects.filter(retired=False), label="Kits in the van", required=False, widget=forms.CheckboxSelectMultiple
    )

    class Meta:
        model = Crew
        fields = ("home", "starts", "ends", "days", "pause", "pause_from", "pause_until", "skills", "kits", "stock")
        widgets = {name: _time() for name in ("starts", "ends", "pause_from", "pause_until")}

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        self.fields["home"].queryset = Place.objects.exclude(kind=Place.Kind.PORT)  # type: ignore[attr-defined] # of that kind of field
        self.fields["kits"].initial = Kit.objects.filter(vans=self.instance.pk)


class AbsenceForm(forms.ModelForm):  # type: ignore[type-arg] # as above
    """When somebody is away."""

    starts = forms.DateTimeField(widget=_moment(), validators=[check_day])
    ends = forms.DateTimeField(widget=_moment(), validators=[check_day])

    class Meta:
        model = Absence
        fields = ("starts", "ends", "why")


class CalendarForm(forms.Form):
    """A calendar of absences."""

    file = forms.FileField(label="Calendar (.ics)", max_length=200)

    def clean_file(self) -> Any:
        file = self.cleaned_data["file"]
        if file.size > 2_000_000:  # noqa: PLR2004 - bytes
            raise forms.ValidationError("A calendar has at most 2 MB.")
        return file


class RoadsForm(forms.Form):
    """How long roads take."""

    roads = forms.CharField(
        label="Lines of from, to and minutes, such as Skerry Quay,Upper Holm,25",
        max_length=900_000,
        widget=forms.Textarea(attrs={"rows": 8}),
    )


class WishForm(forms.ModelForm):  # type: ignore[type-arg] # as above
    """What is wanted of a visit."""

    needs = Stock(
        label="Parts that it is likely to need, a line for each, such as shim 0.5: 4", required=False, max_length=4000,
        widget=forms.Textarea(attrs={"rows": 2}),
    )  # fmt: skip

    class Meta:
        model = Call
        fields: tuple[str, ...] = (
            "asked",
            "urgency",
            "by",
            "kit",
            "scope",
            "minutes",
            "ready_from",
            "ready_until",
            "skill",
            "needs",
            "only",
            "on",
            "at",
        )
        widgets = {
            "by": forms.DateInput(attrs={"type": "date"}), "on": forms.DateInput(attrs={"type": "date"}), "at": _time(), "ready_from": _time(),
            "ready_until": _time(),
        }  # fmt: skip

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        people = User.objects.filter(is_active=True, crew__isnull=False).order_by("username")
        self.fields["only"].queryset = people  # type: ignore[attr-defined] # of that kind of field
        self.fields["kit"].queryset = Kit.objects.filter(retired=False)  # type: ignore[attr-defined] # as above


class NewWishForm(WishForm):
    """The same with its vehicle."""

    vehicle = forms.ModelChoiceField(Vehicle.objects.select_related("fleet"), widget=VehiclePick())

    class Meta(WishForm.Meta):
        fields = ("vehicle", *WishForm.Meta.fields)


class MoveForm(forms.Form):
    """Whose day, and when."""

    technician = forms.ModelChoiceField(Crew.objects.select_related("person"), label="Who", empty_label=None)
    day = forms.DateField(widget=forms.DateInput(attrs={"type": "date"}), validators=[check_day])
    time = forms.TimeField(widget=_time())
