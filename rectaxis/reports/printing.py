"""A report's PDF for whoever asks: as it is kept, or the worker is asked to make it, and the page tells when it is there."""

from __future__ import annotations

from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from rectaxis.common.fields import number
from rectaxis.common.queue import ask_once
from rectaxis.reports.content import Report
from rectaxis.reports.stored import kept_pdf, place_of, stored_pdf

_USUAL = 8
"""After how many looks, one each second, somebody who waits is offered that it is made at once: the worker may be away."""


def printed(request: HttpRequest, report: Report, back: str) -> HttpResponse:
    """The PDF; or, while it is made, a page that looks again by itself and has a way ``back``. A draft is made at once."""
    waiting = bool(request.headers.get("HX-Request"))
    made = stored_pdf(report) if report.draft or "now" in request.GET else kept_pdf(report)
    if made is not None and not waiting:
        answer = HttpResponse(made, content_type="application/pdf")
        answer["Content-Disposition"] = f'attachment; filename="{report.file_name}.pdf"'
        return answer
    looks = number(request.GET.get("looks", "")) + 1
    if made is None and looks == 1:
        _queue(report)
    version = {"version": request.GET["version"]} if "version" in request.GET else {}
    context = {
        "ready": made is not None, "late": looks > _USUAL, "report": report, "back": back, "it": urlencode(version),
        "again": urlencode(version | {"looks": looks}), "at_once": urlencode(version | {"now": 1}),
    }  # fmt: skip
    return render(
        request, f"reports/printing{'_state' if waiting else ''}.html", context, status=200 if waiting else 202
    )


def _queue(report: Report) -> None:
    ask_once("make_pdf", place_of(report), job=str(report.job.pk), version=report.version, style=report.style)
