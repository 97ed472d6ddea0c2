"""A fleet over the years: which vehicle needs a visit most, what leaving it costs, taken away as a sheet; what the fleet reckons with."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from uuid import UUID

import xlsxwriter
from django import forms
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from alignment.judge.wear import Range
from rectaxis.common.fields import without_nul
from rectaxis.common.paging import part_of
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_ask, may_see_fleet, may_work
from rectaxis.people.requests import Request
from rectaxis.reports.sheets import harmless
from rectaxis.years.actions.set_reckoning import set_reckoning
from rectaxis.years.compared import BY, WIDTH, compared
from rectaxis.years.models import Reckoning
from rectaxis.years.naming import axles_of, model_of
from rectaxis.years.standing import Need, needs_of
from rectaxis.years.tasks import ask_for_fleet

Cell = str | float | None
PAGE = 200


@dataclass(frozen=True)
class Column:
    """A column that may be chosen: its head, its heads in a sheet, and what stands there of a vehicle."""

    head: str
    heads: tuple[str, ...]
    cells: Callable[[Need], tuple[Cell, ...]]


def _ends(of: Range | None) -> tuple[Cell, Cell]:
    return (None, None) if of is None else (round(of.low), round(of.high))


def _day(day: dt.date | None) -> Cell:
    return day.isoformat() if day else None


COLUMNS: dict[str, Column] = {
    "yard": Column("Yard", ("Yard",), lambda need: (need.vehicle.stands_at,)),
    "model": Column("Make and model", ("Make and model",), lambda need: (model_of(need.vehicle),)),
    "axles": Column("Axles", ("Axles",), lambda need: (axles_of(need.vehicle),)),
    "left": Column("As left", ("As left",), lambda need: (need.head,)),
    "outside": Column("Outside today", ("Outside today, %", "Likeliest angle"),
                      lambda need: (None if need.chance is None else float(need.chance), need.angle)),
    "due": Column("Measure again by", ("Measure again by",), lambda need: (_day(need.due),)),
    "costs": Column("Costs a year", ("Costs a year, from", "Costs a year, to"), lambda need: _ends(need.cost)),
    "saved": Column("Saved so far", ("Saved, from", "Saved, to"), lambda need: _ends(need.saved)),
    "last": Column("Last report", ("Last report",), lambda need: (_day(need.last),)),
}  # fmt: skip
USUAL = ("left", "outside", "due", "costs", "last")
"""What is shown where nobody chose."""


class ReckoningForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """What a fleet reckons with."""

    class Meta:
        model = Reckoning
        fields = ("money", "tyre_price", "fuel_price", "fuel_l_per_100km", "life_km", "km_a_year")


def _needs(request: Request, fleet: Fleet) -> tuple[list[Need], dict[str, str]]:
    """The vehicles that are looked for, by yard, by model and by a part of the unit; and what is looked for."""
    asked = {name: without_nul(request.GET.get(name, ""))[:60] for name in ("yard", "model", "axles", "q")}
    found = [
        need for need in needs_of(fleet, timezone.localdate())
        if (not asked["yard"] or need.vehicle.stands_at == asked["yard"])
        and (not asked["model"] or model_of(need.vehicle) == asked["model"])
        and (not asked["axles"] or axles_of(need.vehicle) == asked["axles"])
        and asked["q"].lower() in need.vehicle.unit.lower()
    ]  # fmt: skip
    return found, asked


def _columns(request: Request, otherwise: Sequence[str]) -> list[str]:
    """The columns that are asked for, in their own order."""
    asked = request.GET.getlist("column")
    return [code for code in COLUMNS if code in asked] or list(otherwise)


@require_GET
def fleet(request: Request, pk: UUID) -> HttpResponse:
    """A fleet's vehicles by how badly they need a visit."""
    demand(allowed=may_see_fleet(request.user, pk))
    found = get_object_or_404(Fleet, pk=pk)
    needs, asked = _needs(request, found)
    if any(need.waiting for need in needs):
        ask_for_fleet(found)
    all_of = list(found.vehicles.select_related("fleet"))
    reckoning = Reckoning.objects.filter(fleet=found).first() or Reckoning(fleet=found)
    by = request.GET.get("by", "") if request.GET.get("by") in BY else "yard"
    columns = _columns(request, USUAL)
    part = part_of(needs, lambda need: need.vehicle.pk, request.GET.get("after", ""), PAGE)
    kept = request.GET.copy()
    kept.pop("after", None)
    context = {
        "fleet": found, "needs": needs, "part": part, "kept": kept.urlencode(), "asked": asked, "reckoning": reckoning, "asks": may_ask(request.user, pk),
        "choices": [(name, title, sorted({of(one) for one in all_of} - {""}), asked[name]) for name, (title, of) in BY.items()],
        "total": _total(need.cost for need in needs), "saved": _total(need.saved for need in needs), "by": by, "by_said": BY[by][0], "ways": [(code, title) for code, (title, _) in BY.items()],
        "groups": compared(needs, by), "width": WIDTH, "columns": columns, "all_columns": [(code, one.head) for code, one in COLUMNS.items()], "waiting": any(need.waiting for need in needs),
        "works_here": may_work(request.user),
    }  # fmt: skip
    return render(request, "years/fleet.html", context)


def reckon_with(request: Request, pk: UUID) -> HttpResponse:
    """Change what a fleet reckons with."""
    demand(allowed=may_ask(request.user, pk))
    found = get_object_or_404(Fleet, pk=pk)
    now = Reckoning.objects.filter(fleet=found).first() or Reckoning(fleet=found)
    form = ReckoningForm(request.POST or None, instance=now)
    if request.method == "POST" and form.is_valid():
        try:
            set_reckoning(request.user, found, **form.cleaned_data)
        except ValidationError as error:
            for field, texts in error.message_dict.items():
                form.add_error(field if field in form.fields else None, texts)
        else:
            messages.success(request, "Costs are reckoned with that from now on.")
            return redirect("years:fleet", pk=pk)
    return render(request, "years/reckoning.html", {"form": form, "fleet": found}, status=422 if form.errors else 200)


@require_GET
def as_file(request: Request, pk: UUID, ending: str) -> HttpResponse:
    """The same list as CSV or a workbook."""
    demand(allowed=may_see_fleet(request.user, pk))
    found = get_object_or_404(Fleet, pk=pk)
    if ending not in ("csv", "xlsx"):
        raise Http404
    chosen = [COLUMNS[code] for code in _columns(request, tuple(COLUMNS))]
    heads = ["Vehicle", *(head for column in chosen for head in column.heads)]
    lines = [
        (need.vehicle.unit, *(cell for column in chosen for cell in column.cells(need)))
        for need in _needs(request, found)[0]
    ]
    kind, content = ("text/csv; charset=utf-8", _csv(heads, lines)) if ending == "csv" else (
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", _xlsx(heads, lines))  # fmt: skip
    answer = HttpResponse(content, content_type=kind)
    answer["Content-Disposition"] = f'attachment; filename="vehicles-{timezone.localdate():%Y-%m-%d}.{ending}"'
    return answer


def _total(ranges: Iterable[Range | None]) -> Range | None:
    """The sum of what is known; None where nothing is."""
    known = [one for one in ranges if one is not None]
    return Range(sum(one.low for one in known), sum(one.high for one in known)) if known else None


def _csv(heads: Sequence[str], lines: Sequence[tuple[Cell, ...]]) -> bytes:
    made = io.StringIO()
    writer = csv.writer(made)
    writer.writerow(heads)
    writer.writerows([harmless(cell) for cell in line] for line in lines)
    return made.getvalue().encode("utf-8-sig")


def _xlsx(heads: Sequence[str], lines: Sequence[tuple[Cell, ...]]) -> bytes:
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    sheet = book.add_worksheet("Vehicles")
    sheet.write_row(0, 0, heads, book.add_format({"bold": True}))
    sheet.freeze_panes(1, 0)
    sheet.set_column(0, len(heads) - 1, 18)
    for row, line in enumerate(lines, start=1):
        for place, cell in enumerate(line):
            if isinstance(cell, str):
                sheet.write_string(row, place, cell)
            elif cell is not None:
                sheet.write_number(row, place, cell)
    book.close()
    return made.getvalue()
