"""All reports that a person may see: looked through, taken away as one file, a summary of them."""

from __future__ import annotations

from uuid import UUID

from django import forms
from django.contrib import messages
from django.core.files.storage import default_storage
from django.http import FileResponse, Http404, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import without_nul
from rectaxis.common.paging import counted, page_of
from rectaxis.common.widgets import LongSelect
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.reports.actions.make_batch import cancel_batch, make_batch
from rectaxis.reports.models import Batch
from rectaxis.reports.search import LONGEST_WORDS, Wanted, answers_of, found_reports
from rectaxis.reports.summary import summary_of

A_PAGE, MOST_IN_SUMMARY = 50, 1000


def _fleets() -> list[tuple[object, str]]:
    return [("", "any fleet"), *Fleet.objects.values_list("pk", "name")]


class WantedForm(forms.Form):
    """What is looked for."""

    fleet = forms.ChoiceField(choices=_fleets, required=False, widget=LongSelect)
    since = forms.DateField(label="From", required=False, widget=forms.DateInput(attrs={"type": "date"}))
    until = forms.DateField(label="To", required=False, widget=forms.DateInput(attrs={"type": "date"}))
    words = forms.CharField(label="Vehicle", required=False, max_length=LONGEST_WORDS)


def _wanted(request: Request) -> tuple[WantedForm, Wanted]:
    """What the address or a form says is looked for; what is not understood is anything, and its field says so."""
    given = {name: without_nul(str(value)) for name, value in (request.POST or request.GET).items()}
    form = WantedForm(given)
    if not may_work(request.user):
        del form.fields["fleet"]
    form.is_valid()
    found = form.cleaned_data
    return form, Wanted(found.get("fleet", ""), found.get("since"), found.get("until"), found.get("words", ""))


@require_GET
def reports(request: Request) -> HttpResponse:
    """The reports found, newest first."""
    demand(allowed=request.user.is_active)
    form, wanted = _wanted(request)
    found = found_reports(request.user, wanted)
    page = page_of(found, "planned_at", request.GET.get("before", ""), A_PAGE)
    answers = answers_of(list(page))
    asked = request.GET.copy()
    asked.pop("before", None)
    context = {
        "form": form, "page": page, "rows": [(job, *answers.get(job.pk, ("", ""))) for job in page], "asked": asked.urlencode(), "count": counted(found),
        "wanted": asked.items(), "batches": Batch.objects.filter(by=request.user)[:10], "forms": Batch.Form.choices,
    }  # fmt: skip
    return render(request, "reports/reports.html", context)


@require_GET
def summary(request: Request) -> HttpResponse:
    """The reports found as one sheet, the newest of them where there are very many."""
    demand(allowed=request.user.is_active)
    _, wanted = _wanted(request)
    content = summary_of(found_reports(request.user, wanted)[:MOST_IN_SUMMARY], request.user)
    answer = HttpResponse(content, content_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
    answer["Content-Disposition"] = f'attachment; filename="reports-{timezone.localdate():%Y-%m-%d}.xlsx"'
    return answer


@require_POST
def ask(request: Request) -> HttpResponse:
    """Ask for the reports found as one file."""
    _, wanted = _wanted(request)
    try:
        batch = make_batch(request.user, wanted, request.POST.get("form", ""))
    except RecordError as error:
        messages.error(request, str(error))
        return redirect("reports:reports")
    return redirect("reports:batch", pk=batch.pk)


def _own(request: Request, pk: UUID) -> Batch:
    return get_object_or_404(Batch, pk=pk, by=request.user)


@require_GET
def batch(request: Request, pk: UUID) -> HttpResponse:
    """How far a batch is."""
    template = "reports/batch_state.html" if getattr(request, "htmx", False) else "reports/batch.html"
    return render(request, template, {"batch": _own(request, pk)})


@require_GET
def batch_file(request: Request, pk: UUID) -> HttpResponseBase:
    """The file of a batch that is ready, for who may still see all that is in it."""
    found = _own(request, pk)
    seen = found_reports(request.user, Wanted()).filter(pk__in=found.jobs).count()
    if found.status != Batch.Status.DONE or seen < found.count:
        raise Http404
    return FileResponse(
        default_storage.open(found.file), as_attachment=True, filename=f"reports-{found.made_at:%Y-%m-%d}.{found.form}"
    )


@require_POST
def cancel(request: Request, pk: UUID) -> HttpResponse:
    """Stop making a batch."""
    try:
        cancel_batch(request.user, _own(request, pk))
    except RecordError as error:
        messages.error(request, str(error))
    return redirect("reports:batch", pk=pk)
