"""Reports as PDF, kept by what they were made of: made once, whoever asks."""

from __future__ import annotations

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage

from rectaxis.reports.content import Report
from rectaxis.reports.pdf import pdf_of

FORM = 3
"""Goes up with whatever changes how a report is printed: what was made before is then made anew."""


def place_of(report: Report) -> str:
    """Where the PDF of a sealed version lies: by its seal's digest, how many versions there are by now, since it says whether it is
    the latest, the reader's style, the form, and the address on it.
    """
    of = f"{report.version}-of-{report.of}"
    return f"reports/{report.versions[-1].digest}-{of}-{report.said_in}-{FORM}-{report.site_key}.pdf"


def kept_pdf(report: Report) -> bytes | None:
    """The PDF of a sealed version as it is kept; None where none is made yet."""
    place = place_of(report)
    if not default_storage.exists(place):
        return None
    with default_storage.open(place) as file:
        return bytes(file.read())


def stored_pdf(report: Report) -> bytes:
    """The PDF: as it is kept, or made now and kept. A draft is not kept."""
    if report.draft:
        return pdf_of(report)
    kept = kept_pdf(report)
    if kept is not None:
        return kept
    made = pdf_of(report)
    default_storage.save(place_of(report), ContentFile(made))
    return made
