"""Entering kits."""

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from alignment.procedure.kit import kit
from rectaxis.kits.actions.add_kit import add_kit
from rectaxis.kits.models import OFFERED, Kit
from rectaxis.people.access import demand, may_work


class KitForm(forms.ModelForm):
    """A kit and its certificate."""

    code = forms.ChoiceField(label="Kind", choices=lambda: [(code, kit(code).name) for code in OFFERED])
    certified_until = forms.DateField(label="Certified until, as 2027-03-31", required=False)

    class Meta:
        model = Kit
        fields = ("name", "code", "certified_until", "toe_in_zone", "toe_out_zone")


def new(request: HttpRequest) -> HttpResponse:
    """Add a kit."""
    demand(allowed=may_work(request.user))
    form = KitForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        add_kit(request.user, **form.cleaned_data)
        return redirect("jobs:today")
    return render(request, "one_form.html", {"form": form, "title": "Add a kit"}, status=422 if form.errors else 200)
