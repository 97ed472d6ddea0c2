"""A fleet over the years: which vehicle needs a visit most, what leaving it costs, taken away as a sheet; what the fleet reckons with."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from uuid import UUID

import xlsxwriter
from django import forms
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from rectaxis.common.fields import without_nul
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_ask, may_see_fleet, may_work
from rectaxis.people.requests import Request
from rectaxis.reports.sheets import harmless
from rectaxis.years.actions.set_reckoning import set_reckoning
from rectaxis.years.models import Reckoning
from rectaxis.years.standing import Need, needs_of
from rectaxis.years.tasks import ask_for_fleet

HEADS = ("Vehicle", "Yard", "Make and model", "Last report", "As left", "Outside today, %", "Likeliest angle", "Measure again by", "Costs a year, from", "Costs a year, to")  # fmt: skip
Cell = str | float | None


class ReckoningForm(forms.ModelForm):  # type: ignore[type-arg] # it takes no parameter at run time
    """What a fleet reckons with."""

    class Meta:
        model = Reckoning
        fields = ("money", "tyre_price", "fuel_price", "fuel_l_per_100km", "life_km", "km_a_year")


def _needs(request: Request, fleet: Fleet) -> tuple[list[Need], dict[str, str]]:
    """The vehicles that are looked for, by yard, by model and by a part of the unit; and what is looked for."""
    asked = {name: without_nul(request.GET.get(name, ""))[:60] for name in ("yard", "model", "q")}
    found = [
        need for need in needs_of(fleet, timezone.localdate())
        if (not asked["yard"] or need.vehicle.stands_at == asked["yard"])
        and (not asked["model"] or _model(need) == asked["model"])
        and asked["q"].lower() in need.vehicle.unit.lower()
    ]  # fmt: skip
    return found, asked


def _model(need: Need) -> str:
    return f"{need.vehicle.make} {need.vehicle.model}".strip()


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
    costs = [need.cost for need in needs if need.cost is not None]
    context = {
        "fleet": found, "needs": needs, "asked": asked, "reckoning": reckoning, "asks": may_ask(request.user, pk), "query": request.GET.urlencode(),
        "yards": sorted({one.stands_at for one in all_of} - {""}), "models": sorted({f"{one.make} {one.model}".strip() for one in all_of} - {""}),
        "total": (sum(cost.low for cost in costs), sum(cost.high for cost in costs)), "waiting": any(need.waiting for need in needs),
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
    lines = list(_lines(_needs(request, found)[0]))
    kind, content = ("text/csv; charset=utf-8", _csv(lines)) if ending == "csv" else (
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", _xlsx(lines))  # fmt: skip
    answer = HttpResponse(content, content_type=kind)
    answer["Content-Disposition"] = f'attachment; filename="vehicles-{timezone.localdate():%Y-%m-%d}.{ending}"'
    return answer


def _lines(needs: list[Need]) -> Iterator[tuple[Cell, ...]]:
    for need in needs:
        yield (
            need.vehicle.unit, need.vehicle.stands_at, _model(need), need.last.isoformat() if need.last else None, need.head,
            None if need.chance is None else float(need.chance), need.angle, need.due.isoformat() if need.due else None,
            None if need.cost is None else round(need.cost.low), None if need.cost is None else round(need.cost.high),
        )  # fmt: skip


def _csv(lines: list[tuple[Cell, ...]]) -> bytes:
    made = io.StringIO()
    writer = csv.writer(made)
    writer.writerow(HEADS)
    writer.writerows([harmless(cell) for cell in line] for line in lines)
    return made.getvalue().encode("utf-8-sig")


def _xlsx(lines: list[tuple[Cell, ...]]) -> bytes:
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    sheet = book.add_worksheet("Vehicles")
    sheet.write_row(0, 0, HEADS, book.add_format({"bold": True}))
    sheet.freeze_panes(1, 0)
    sheet.set_column(0, len(HEADS) - 1, 18)
    for row, line in enumerate(lines, start=1):
        for place, cell in enumerate(line):
            if isinstance(cell, str):
                sheet.write_string(row, place, cell)
            elif cell is not None:
                sheet.write_number(row, place, cell)
    book.close()
    return made.getvalue()
