"""The worksheet for a yard without power, and typing in what was written on it."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET

from rectaxis.common.pdf import pdf_bytes
from rectaxis.jobs.paper import Paper, paper_of
from rectaxis.jobs.screens.page import Page, base
from rectaxis.jobs.views.common import job_of
from rectaxis.jobs.work import Work


def _paper(request: HttpRequest, pk: UUID) -> tuple[Work, Paper]:
    work = Work(job_of(request, pk))
    return work, paper_of(work)


@require_GET
def worksheet(request: HttpRequest, pk: UUID) -> HttpResponse:
    """The steps of this job with empty rulers, to print."""
    work, paper = _paper(request, pk)
    return render(request, "jobs/worksheet.html", {"job": work.job, "paper": paper})


@require_GET
def worksheet_pdf(request: HttpRequest, pk: UUID) -> HttpResponse:
    """The same as a PDF."""
    work, paper = _paper(request, pk)
    html = render_to_string("jobs/worksheet_print.html", {"job": work.job, "paper": paper})
    answer = HttpResponse(pdf_bytes(html), content_type="application/pdf")
    answer["Content-Disposition"] = f'attachment; filename="worksheet-{work.job.planned_at:%Y-%m-%d}.pdf"'
    return answer


@require_GET
def quick(request: HttpRequest, pk: UUID) -> HttpResponse:
    """Every field of the worksheet on one page, in its order, to type in what was written."""
    work, paper = _paper(request, pk)
    page = Page(work, request.user, "read")
    shared = base(page) | {"gates": [], "sealed": "before" in work.seals}
    return render(request, "jobs/quick.html", shared | {"paper": paper})
