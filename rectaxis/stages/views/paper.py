"""The worksheet for a yard without power, and typing in what was written on it."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET

from rectaxis.common.pdf import pdf_bytes
from rectaxis.people.requests import Request
from rectaxis.record.slot import Phase
from rectaxis.stages.page import Page, base
from rectaxis.stages.views.common import job_of
from rectaxis.stages.worksheet import Paper, paper_of
from rectaxis.visit.visit import Visit


def _paper(request: Request, pk: UUID) -> tuple[Visit, Paper]:
    visit = Visit(job_of(request, pk))
    return visit, paper_of(visit)


@require_GET
def worksheet(request: Request, pk: UUID) -> HttpResponse:
    """The steps of this job with empty rulers, to print."""
    visit, paper = _paper(request, pk)
    return render(request, "stages/worksheet.html", {"job": visit.job, "paper": paper})


@require_GET
def worksheet_pdf(request: Request, pk: UUID) -> HttpResponse:
    """The same as a PDF."""
    visit, paper = _paper(request, pk)
    html = render_to_string("stages/worksheet_print.html", {"job": visit.job, "paper": paper})
    answer = HttpResponse(pdf_bytes(html), content_type="application/pdf")
    answer["Content-Disposition"] = f'attachment; filename="worksheet-{visit.job.planned_at:%Y-%m-%d}.pdf"'
    return answer


@require_GET
def quick(request: Request, pk: UUID) -> HttpResponse:
    """Every field of the worksheet on one page, in its order, to type in what was written."""
    visit, paper = _paper(request, pk)
    page = Page(visit, request.user, "read")
    shared = base(page) | {"gates": [], "sealed": Phase.BEFORE in visit.journal.seals}
    return render(request, "stages/quick.html", shared | {"paper": paper})
