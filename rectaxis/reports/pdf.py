"""A report as a PDF. The renderer may read the report's own fonts and style sheet, and nothing else."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.template.loader import render_to_string

from rectaxis.reports.content import Report

_STATIC = Path(settings.PACKAGE) / "static"


def pdf_of(report: Report) -> bytes:
    """The report as PDF/UA bytes: the same content, the same bytes."""
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration

    fonts = FontConfiguration()
    style = CSS(filename=_STATIC / "rectaxis" / "report-print.css", font_config=fonts)
    page = HTML(string=render_to_string("reports/print.html", {"report": report}), base_url=str(_STATIC) + "/")
    return bytes(page.write_pdf(stylesheets=[style], font_config=fonts, pdf_variant="pdf/ua-1"))
