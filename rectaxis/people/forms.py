"""What a person may set about themselves, and what the office sets about people."""

from __future__ import annotations

from typing import Any

from django import forms
from django.contrib.auth.password_validation import validate_password

from rectaxis.people.models import User


class PreferencesForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """How angles, lengths and pressures are shown, what sides are called, the theme, and whether single keys do something."""

    single_keys = forms.TypedChoiceField(
        label="Single keys as shortcuts, such as 1 to 9 for the stages", coerce=lambda text: text == "True",
        choices=[("True", "On"), ("False", "Off: I dictate, or press keys by mistake")], widget=forms.RadioSelect,
    )  # fmt: skip

    class Meta:
        model = User
        fields = ("angle_style", "length_unit", "pressure_unit", "side_names", "theme", "single_keys")
        widgets = dict.fromkeys(fields[:-1], forms.RadioSelect)


class QuickPreferencesForm(forms.ModelForm):  # type: ignore[type-arg] # as above
    """What is changed from within a job: whatever of it is sent."""

    class Meta:
        model = User
        fields = ("angle_style", "theme")

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        for name in [name for name in self.fields if name not in self.data]:
            del self.fields[name]


class PersonForm(forms.ModelForm):  # type: ignore[type-arg] # as above
    """A new person who signs in."""

    password = forms.CharField(
        label="Password, at least 12 characters; empty invites by e-mail",
        required=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "new-password"}),
    )

    class Meta:
        model = User
        fields: tuple[str, ...] = ("username", "first_name", "last_name", "email", "role", "fleet", "asks", "yards")
        labels = {"username": "Name to sign in with", "email": "E-mail address", "fleet": "Fleet, for a fleet viewer",
                  "asks": "May answer advice, ask for visits and ask questions (a fleet viewer)",
                  "yards": "Yards a fleet viewer looks after, with commas between; empty for all"}  # fmt: skip
        help_texts = {"username": "", "yards": ""}

    def clean_password(self) -> str:
        """The password, if it is one that nobody guesses at once."""
        typed: str = self.cleaned_data["password"]
        if typed:
            validate_password(typed)
        return typed

    def clean(self) -> dict[str, Any]:
        """A fleet viewer has a fleet, and nobody else; who is new has a password, or an address to be invited at."""
        data: dict[str, Any] = super().clean() or {}
        if self.instance.pk is None and "password" in data and not data["password"] and not data.get("email"):
            self.add_error("password", "Give a password, or an e-mail address to invite this person.")
        if data.get("role") == User.Role.FLEET and not data.get("fleet"):
            self.add_error("fleet", "Choose whose reports this person sees.")
        if data.get("role") != User.Role.FLEET:
            data |= {"fleet": None, "yards": [], "asks": True}
        self._check_yards(data)
        return data

    def _check_yards(self, data: dict[str, Any]) -> None:
        fleet, yards = data.get("fleet"), data.get("yards") or []
        there = (
            sorted({vehicle.stands_at for vehicle in fleet.vehicles.select_related("fleet")} - {""}) if fleet else []
        )
        unknown = [yard for yard in yards if yard not in there]
        if unknown:
            known = f"it has {', '.join(there)}" if there else "none of its vehicles has a yard yet"
            self.add_error("yards", f"No vehicle of {fleet} stands at {', '.join(unknown)}: {known}.")


class PersonChangeForm(PersonForm):
    """A person who is there."""

    password = forms.CharField(
        label="Another password; empty leaves the one there is", required=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "new-password"}),
    )  # fmt: skip

    class Meta(PersonForm.Meta):
        fields = (*PersonForm.Meta.fields, "is_active")
        labels = {**PersonForm.Meta.labels, "is_active": "May sign in"}
        help_texts = {**PersonForm.Meta.help_texts, "is_active": ""}


class FirstPersonForm(PersonForm):
    """The first person of an empty program: whoever sets it up."""

    password = forms.CharField(
        label="Password, at least 12 characters", widget=forms.PasswordInput(attrs={"autocomplete": "new-password"})
    )

    class Meta(PersonForm.Meta):
        fields = ("username", "first_name", "last_name")

    def clean(self) -> dict[str, Any]:
        """Without a role: it is a technician's."""
        return self.cleaned_data
