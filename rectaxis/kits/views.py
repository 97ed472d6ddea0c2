"""Entering kits."""

from django import forms
from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import redirect, render

from alignment.procedure.kit import kit
from rectaxis.kits.actions.add_kit import add_kit
from rectaxis.kits.models import OFFERED, Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request


class KitForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """A kit and its certificate."""

    code = forms.ChoiceField(label="Kind", choices=lambda: [(code, kit(code).name) for code in OFFERED])
    certified_until = forms.DateField(label="Certified until, as 2027-03-31", required=False)

    class Meta:
        model = Kit
        fields = ("name", "code", "certified_until", "toe_in_zone", "toe_out_zone")


def new(request: Request) -> HttpResponse:
    """Add a kit."""
    demand(allowed=may_work(request.user))
    form = KitForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        add_kit(request.user, **form.cleaned_data)
        return redirect(settings.LOGIN_REDIRECT_URL)
    return render(request, "one_form.html", {"form": form, "title": "Add a kit"}, status=422 if form.errors else 200)
