"""The library of figures: finding, entering, correcting, copying and deleting them."""

from __future__ import annotations

from itertools import groupby
from typing import Any
from uuid import UUID

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.forms import BaseFormSet
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import number, without_nul
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request
from rectaxis.specs.actions.add_specification import add_specification
from rectaxis.specs.actions.change_specification import change_specification, delete_specification
from rectaxis.specs.choose import found_by_words
from rectaxis.specs.forms import MOST_ROWS, RowForm, RowFormSet, SpecificationForm
from rectaxis.specs.models import Specification
from rectaxis.specs.rows import MOST_AXLES, Row, axles_of, laid_out, typed_of

MOST = 200
_WORDS = SpecificationForm.Meta.fields


@require_GET
def figures(request: Request) -> HttpResponse:
    """The library, or what of it matches every word."""
    demand(allowed=may_work(request.user))
    words = without_nul(request.GET.get("q", ""))[:60]
    found = found_by_words(words)
    return render(request, "specs/figures.html", {"found": found[:MOST], "count": found.count(), "words": words})


def new(request: Request) -> HttpResponse:
    """Add figures: from nothing, or from a copy of others."""
    demand(allowed=may_work(request.user))
    if request.method == "POST":
        return _posted(request, None)
    copied = _copied(request)
    words = {name: getattr(copied, name) for name in _WORDS} if copied else {}
    wanted = {name: request.GET[name] for name in ("make", "model") if request.GET.get(name)}
    typed = _typed(copied) if copied else []
    return _shown(request, SpecificationForm(initial=words | wanted), typed, axles_of(typed))


def edit(request: Request, pk: UUID) -> HttpResponse:
    """Open figures, and correct them: a further version."""
    demand(allowed=may_work(request.user))
    found = get_object_or_404(Specification, pk=pk)
    if request.method == "POST":
        return _posted(request, found)
    typed = _typed(found)
    return _shown(request, SpecificationForm(instance=found), typed, axles_of(typed), found)


@require_POST
def delete(request: Request, pk: UUID) -> HttpResponse:
    """Take figures out of the library."""
    found = get_object_or_404(Specification, pk=pk)
    try:
        delete_specification(request.user, found)
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
        return redirect("specs:edit", pk=pk)
    messages.success(request, f"{found} is taken out of the library.")
    return redirect("specs:figures")


def _copied(request: Request) -> Specification | None:
    try:
        return Specification.objects.filter(pk=UUID(request.GET.get("copy", ""))).first()
    except ValueError:
        return None


def _typed(found: Specification) -> list[Row]:
    return found.typed or typed_of(found.rows)


def _posted(request: Request, found: Specification | None) -> HttpResponse:
    if request.POST.get("axles") in ("more", "fewer"):
        return _other_axles(request, found)
    form = SpecificationForm(request.POST, instance=found)
    rows = RowFormSet(request.POST, prefix="row")
    if not (form.is_valid() and rows.is_valid()):
        return _page(request, form, rows, found, status=422)
    words = {key: form.cleaned_data[key] for key in _WORDS}
    made = [row for one in rows for row in one.rows()]
    typed = [one.as_typed() for one in rows if one.rows()]
    if found is None:
        saved = add_specification(request.user, made, typed=typed, **words)
    else:
        saved = change_specification(request.user, found, rows=made, typed=typed, **words)
    messages.success(request, f"{saved} is saved as version {saved.version}. Visits that were opened keep theirs.")
    return redirect("specs:edit", pk=saved.pk)


def _other_axles(request: Request, found: Specification | None) -> HttpResponse:
    """What was typed, with the rows of an axle more, or without those of the last."""
    count = min(number(request.POST.get("row-TOTAL_FORMS", "")), MOST_ROWS)
    typed = [{name: request.POST.get(f"row-{at}-{name}", "") for name in RowForm.base_fields} for at in range(count)]
    fixed = [int(row["axle"]) for row in typed if row["fixed"] and row["axle"].isdecimal()]
    most = max(fixed, default=1) + (1 if request.POST["axles"] == "more" else -1)
    words = {name: request.POST.get(name, "") for name in _WORDS}
    return _shown(
        request, SpecificationForm(initial=words, instance=found), typed, max(1, min(MOST_AXLES, most)), found
    )


def _shown(
    request: Request, form: SpecificationForm, typed: list[Row], axles: int, found: Specification | None = None
) -> HttpResponse:
    given = "min" if request.user.angle_style == "dms" else "deg"
    return _page(request, form, RowFormSet(prefix="row", initial=laid_out(typed, axles, given)), found)


def _page(
    request: Request,
    form: SpecificationForm,
    rows: BaseFormSet[RowForm],
    found: Specification | None,
    status: int = 200,
) -> HttpResponse:
    context: dict[str, Any] = {
        "form": form, "rows": rows, "found": found,
        "groups": [(title, list(of_group)) for title, of_group in groupby(rows, key=lambda row: row.group)],
        "versions": found.history.select_related("history_user") if found else [],
        "title": str(found) if found else "Add figures",
    }  # fmt: skip
    return render(request, "specs/edit.html", context, status=status)
