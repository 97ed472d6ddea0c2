"""What is typed of a contact."""

from __future__ import annotations

from django import forms

from rectaxis.post.models import Contact


class ContactForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """A contact of a fleet."""

    class Meta:
        model = Contact
        fields = ("name", "email", "wants", "angle_style", "former")


class ForgotForm(forms.Form):
    """Who forgot their password says where a letter reaches them."""

    email = forms.EmailField(label="Your e-mail address")
