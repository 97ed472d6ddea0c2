"""Reading lists in: a file, what its columns mean, every line looked at, taken, undone."""

from __future__ import annotations

from uuid import UUID

from django import forms
from django.contrib import messages
from django.core.files.storage import default_storage
from django.core.paginator import Paginator
from django.http import FileResponse, Http404, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from rectaxis.exchange.actions.ask_for_export import ask_for_export
from rectaxis.exchange.actions.bring_fleet import bring_fleet
from rectaxis.exchange.actions.read_list import read_list, say_columns, take_list, undo_list
from rectaxis.exchange.kinds import KINDS
from rectaxis.exchange.kinds.base import FAULTY, NEW, THERE
from rectaxis.exchange.mapping import looked_at
from rectaxis.exchange.models import Export, Import
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_manage, may_see_fleet, may_work
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError

_A_PAGE = 50


class ListForm(forms.Form):
    """A file, and what it is a list of."""

    kind = forms.ChoiceField(label="It is a list of", choices=[(kind.CODE, kind.NAME) for kind in KINDS.values()])
    file = forms.FileField(label="A CSV file or a workbook (.xlsx), with names of columns in its first line")


class WholeForm(forms.Form):
    """A fleet's whole data."""

    fleet_file = forms.FileField(label="The file (.zip)")


@require_POST
def bring(request: Request) -> HttpResponse:
    """Take a fleet's whole data from another installation."""
    form = WholeForm(request.POST, request.FILES)
    if form.is_valid():
        try:
            return redirect("exchange:list", pk=bring_fleet(request.user, form.cleaned_data["fleet_file"]).pk)
        except RecordError as error:
            form.add_error("fleet_file", str(error))
    demand(allowed=may_manage(request.user))
    return _lists(request, ListForm(), form)


def lists(request: Request) -> HttpResponse:
    """Read a list, and those that were read."""
    demand(allowed=may_work(request.user))
    form = ListForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        file = form.cleaned_data["file"]
        try:
            made = read_list(request.user, form.cleaned_data["kind"], file.name, file.read())
            return redirect("exchange:list", pk=made.pk)
        except RecordError as error:
            form.add_error("file", str(error))
    return _lists(request, form, WholeForm())


def _lists(request: Request, form: ListForm, whole: WholeForm) -> HttpResponse:
    found = Import.objects.select_related("by").defer("table", "made")[:30]
    context = {"form": form, "whole": whole, "lists": found, "manages": may_manage(request.user)}
    return render(request, "exchange/lists.html", context, status=422 if form.errors or whole.errors else 200)


@require_GET
def one(request: Request, pk: UUID) -> HttpResponse:
    """A list: what its columns mean, and every line with what becomes of it; those with faults first."""
    demand(allowed=may_work(request.user))
    made = get_object_or_404(Import, pk=pk)
    if made.status != Import.Status.READ:
        return render(request, "exchange/state.html" if request.htmx else "exchange/taken.html", {"made": made})
    kind = KINDS[made.kind]
    lines = looked_at(made)
    lines.sort(key=lambda line: (line.becomes != FAULTY, line.number))
    counts = {becomes: sum(line.becomes == becomes for line in lines) for becomes in (NEW, THERE, FAULTY)}
    context = {
        "made": made, "fields": kind.FIELDS, "columns": list(zip(made.heads, made.columns, made.lines[0], strict=True)),
        "usual": [(field, kind.choices(field.code), made.usual.get(field.code, "")) for field in kind.FIELDS if field.code in kind.USUAL],
        "page": Paginator(lines, _A_PAGE).get_page(request.GET.get("page")), "new": counts[NEW], "there": counts[THERE], "faulty": counts[FAULTY],
        "shown": [field for field in kind.FIELDS if field.code in made.columns or field.code in made.usual or field.needed],
    }  # fmt: skip
    return render(request, "exchange/list.html", context)


@require_POST
def ask(request: Request, pk: UUID) -> HttpResponse:
    """Ask for everything of a fleet."""
    made = ask_for_export(request.user, get_object_or_404(Fleet, pk=pk))
    return redirect("exchange:whole", pk=made.pk)


def _own(request: Request, pk: UUID) -> Export:
    """An export of the person's own, of a fleet that they may still see."""
    made = get_object_or_404(Export.objects.select_related("fleet"), pk=pk, by=request.user)
    demand(allowed=may_see_fleet(request.user, made.fleet_id))
    return made


@require_GET
def whole(request: Request, pk: UUID) -> HttpResponse:
    """How far it is."""
    return render(
        request, "exchange/whole_state.html" if request.htmx else "exchange/whole.html", {"made": _own(request, pk)}
    )


@require_GET
def whole_file(request: Request, pk: UUID) -> HttpResponseBase:
    """The file, once it is ready."""
    made = _own(request, pk)
    if made.status != Export.Status.DONE:
        raise Http404
    return FileResponse(default_storage.open(made.file), as_attachment=True, filename=f"fleet-{made.at:%Y-%m-%d}.zip")


@require_POST
def columns(request: Request, pk: UUID) -> HttpResponse:
    """Say what the columns mean."""
    made = get_object_or_404(Import, pk=pk)
    usual = {code: request.POST.get(f"usual-{code}", "") for code in KINDS[made.kind].USUAL}
    try:
        say_columns(request.user, made, request.POST.getlist("column"), usual)
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("exchange:list", pk=pk)


@require_POST
def take(request: Request, pk: UUID) -> HttpResponse:
    """Have a list taken."""
    try:
        take_list(request.user, get_object_or_404(Import, pk=pk), leave_out="leave_out" in request.POST)
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("exchange:list", pk=pk)


@require_POST
def undo(request: Request, pk: UUID) -> HttpResponse:
    """Undo a list."""
    try:
        undo_list(request.user, get_object_or_404(Import, pk=pk))
        messages.success(request, "What the list made is taken out again.")
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("exchange:list", pk=pk)
