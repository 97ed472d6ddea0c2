"""A report as a PDF, with its photos."""

from __future__ import annotations

from django.core.files.storage import default_storage
from django.template.loader import render_to_string

from rectaxis.common.pdf import pdf_bytes
from rectaxis.record.pictures import path_of
from rectaxis.reports.content import Report

MOST_PHOTOS = 24
"""More pictures than this make a file that no mailbox takes."""


def pdf_of(report: Report) -> bytes:
    """The report as PDF/UA bytes: the same content, the same bytes."""
    pictures = {}
    photos = report.statement.photos[:MOST_PHOTOS]
    for photo in photos:
        path = path_of(photo.digest)
        if default_storage.exists(path):
            with default_storage.open(path) as file:
                pictures[f"photo:{photo.digest}"] = file.read()
    shown = [photo for photo in photos if f"photo:{photo.digest}" in pictures]
    return pdf_bytes(render_to_string("reports/print.html", {"report": report, "printed": shown}), pictures)
