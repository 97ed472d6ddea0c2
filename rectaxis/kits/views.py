"""The kits: their list, entering one, renewing its certificate."""

from uuid import UUID

from django import forms
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from alignment.procedure.kit import kit
from rectaxis.common.pages import one_form
from rectaxis.kits.actions.add_kit import add_kit
from rectaxis.kits.actions.change_kit import change_kit
from rectaxis.kits.models import OFFERED, Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request


class KitForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """A kit and its certificate."""

    code = forms.ChoiceField(label="Kind", choices=lambda: [(code, kit(code).name) for code in OFFERED])
    certified_until = forms.DateField(label="Certified until, as 2027-03-31", required=False)

    class Meta:
        model = Kit
        fields: tuple[str, ...] = (
            "name",
            "code",
            "serial",
            "certified_until",
            "battery_hours",
            "goes",
            "toe_in_zone",
            "toe_out_zone",
        )


class KitChangeForm(KitForm):
    """A kit that is there: its kind stays, since that is what it is."""

    code = None  # type: ignore[assignment] # how Django takes a field away

    class Meta(KitForm.Meta):
        fields = (
            "name",
            "serial",
            "certified_until",
            "battery_hours",
            "goes",
            "toe_in_zone",
            "toe_out_zone",
            "retired",
        )


@require_GET
def kits(request: Request) -> HttpResponse:
    """All kits, those in use first."""
    demand(allowed=may_work(request.user))
    day = timezone.localdate()
    shown = [(one, kit(one.code).name, one.certificate(day), one.certified(day)) for one in Kit.objects.all()]
    return render(request, "kits/kits.html", {"kits": shown})


def new(request: Request) -> HttpResponse:
    """Add a kit."""
    demand(allowed=may_work(request.user))
    form = KitForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        made = add_kit(request.user, **form.cleaned_data)
        messages.success(request, f"{made.name} is added.")
        return redirect("kits:kits")
    return one_form(request, form, "Add a kit")


def edit(request: Request, pk: UUID) -> HttpResponse:
    """Renew a kit's certificate, or change what else is written of it."""
    demand(allowed=may_work(request.user))
    found = get_object_or_404(Kit, pk=pk)
    form = KitChangeForm(request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        changed = change_kit(request.user, found, **form.cleaned_data)
        messages.success(request, f"{changed.name} is changed. Visits that were opened keep it as it was.")
        return redirect("kits:kits")
    return one_form(request, form, f"{found.name}, {kit(found.code).name}")
