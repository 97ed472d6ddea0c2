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
        label="Password, at least 10 characters; empty invites by e-mail",
        required=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "new-password"}),
    )

    class Meta:
        model = User
        fields: tuple[str, ...] = ("username", "first_name", "last_name", "email", "role", "fleet")
        labels = {"username": "Name to sign in with", "email": "E-mail address", "fleet": "Fleet, for a fleet viewer"}
        help_texts = {"username": ""}

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
            data["fleet"] = None
        return data


class PersonChangeForm(PersonForm):
    """A person who is there."""

    password = forms.CharField(
        label="Another password; empty leaves the one there is", required=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "new-password"}),
    )  # fmt: skip

    class Meta(PersonForm.Meta):
        fields = (*PersonForm.Meta.fields, "is_active")
        labels = {**PersonForm.Meta.labels, "is_active": "May sign in"}
        help_texts = {"username": "", "is_active": ""}


class FirstPersonForm(PersonForm):
    """The first person of an empty program: whoever sets it up."""

    password = forms.CharField(
        label="Password, at least 10 characters", widget=forms.PasswordInput(attrs={"autocomplete": "new-password"})
    )

    class Meta(PersonForm.Meta):
        fields = ("username", "first_name", "last_name")

    def clean(self) -> dict[str, Any]:
        """Without a role: it is a technician's."""
        return self.cleaned_data
