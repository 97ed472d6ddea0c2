"""A report as a PDF, with its photos."""

from __future__ import annotations

from django.template.loader import render_to_string

from rectaxis.common.pdf import pdf_bytes
from rectaxis.record.pictures import stored_picture
from rectaxis.reports.content import Report

MOST_PHOTOS = 24
"""More pictures than this make a file that no mailbox takes."""


def pdf_of(report: Report) -> bytes:
    """The report as PDF/UA bytes: the same content, the same bytes."""
    photos = [*report.part_photos, *report.other_photos][:MOST_PHOTOS]
    logo = report.statement.sender.logo if report.statement.sender else ""
    digests = [logo, *(photo.digest for photo in photos)]
    pictures = {f"photo:{digest}": data for digest in digests if (data := stored_picture(digest)) is not None}
    context = {
        "report": report,
        "printed": {photo.digest for photo in photos if f"photo:{photo.digest}" in pictures},
        "logo": f"photo:{logo}" if f"photo:{logo}" in pictures else "",
    }
    return pdf_bytes(render_to_string("reports/print.html", context), pictures)
