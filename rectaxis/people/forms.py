"""What a person may set about themselves."""

from django import forms

from rectaxis.people.models import User


class PreferencesForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """How angles are shown, and the theme."""

    class Meta:
        model = User
        fields = ("angle_style", "theme")
        widgets = {"angle_style": forms.RadioSelect, "theme": forms.RadioSelect}
