"""A report as a document that an office can go on writing in."""

from __future__ import annotations

import io

from docx import Document
from docx.document import Document as Written
from docx.shared import Cm, Pt

from rectaxis.record.pictures import stored_picture
from rectaxis.reports.content import Report
from rectaxis.reports.parts import ANGLES, Part, parts, plain, unit_of
from rectaxis.reports.sheets import CREATED

_OF_ANGLES = ("Axle", "Angle", "Before, in words", "Before, verdict", "After, in words", "After, verdict")
"""What of the table of angles fits on a page."""


def docx_of(report: Report) -> bytes:
    """The report as a document, its parts under headings."""
    document = Document()
    document.core_properties.title = f"Wheel alignment, {report.statement.subject.unit}"
    document.core_properties.created = document.core_properties.modified = CREATED
    document.core_properties.author = report.statement.subject.technician
    document.styles["Normal"].font.size = Pt(10)
    sender = report.statement.sender
    logo = stored_picture(sender.logo) if sender is not None else None
    if logo is not None:
        document.add_picture(io.BytesIO(logo), height=Cm(1.6))
    if sender is not None:
        document.add_paragraph("\n".join(text for text in (sender.name, sender.address, sender.contact) if text))
    document.add_heading(document.core_properties.title, level=1)
    for part in parts(report):
        _write(document, part)
    if sender is not None and sender.words:
        document.add_paragraph(sender.words)
    made = io.BytesIO()
    document.save(made)
    return made.getvalue()


def _write(document: Written, part: Part) -> None:
    document.add_heading(part.title, level=2)
    if part.facts:
        table = document.add_table(rows=0, cols=2, style="Light List")
        for name, value in part.facts:
            cells = table.add_row().cells
            cells[0].text, cells[1].text = name, plain(value)
    for line in part.lines:
        document.add_paragraph(line)
    if not part.rows:
        return
    heads = _OF_ANGLES if part.heads == ANGLES else part.heads
    places = [part.heads.index(head) for head in heads]
    table = document.add_table(rows=1, cols=len(heads), style="Light List")
    for cell, head in zip(table.rows[0].cells, heads, strict=True):
        cell.text = head
    for row in part.rows:
        for cell, place in zip(table.add_row().cells, places, strict=True):
            cell.text = plain(row[place], unit_of(row))
