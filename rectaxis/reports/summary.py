"""A sheet about many vehicles: of each report what was found, what was left, what that costs, and when next."""

from __future__ import annotations

import io
from collections.abc import Iterable

import xlsxwriter

from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.reports.content import Report
from rectaxis.reports.search import latest_statements
from rectaxis.reports.sheets import CREATED

HEADS = (
    "Fleet",
    "Vehicle",
    "Registration",
    "Day",
    "Report",
    "As found",
    "As left",
    "What is left",
    "Leaving it so costs",
    "Next",
    "Advice with a day",
)


def summary_of(jobs: Iterable[Job], reader: User) -> bytes:
    """One line for each report, newest first, as a workbook."""
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    book.set_properties({"title": "Reports", "created": CREATED.replace(tzinfo=None)})
    sheet, bold = book.add_worksheet("Reports"), book.add_format({"bold": True})
    words, day = (
        book.add_format({"text_wrap": True, "valign": "top"}),
        book.add_format({"num_format": "yyyy-mm-dd", "valign": "top"}),
    )
    sheet.write_row(0, 0, HEADS, bold)
    sheet.freeze_panes(1, 0)
    sheet.set_column(0, len(HEADS) - 1, 22)
    found = list(jobs)
    said_of = latest_statements(found)
    for row, job in enumerate((job for job in found if job.pk in said_of), start=1):
        report = Report(job, said_of[job.pk], reader.angle_style)
        said, front = report.statement, report.front
        answers = {title: one.head for title, one in front.answers}
        cells = (
            said.subject.fleet, said.subject.unit, said.subject.registration, None, said.number, answers.get("As found", ""),
            answers.get("As left", ""), "; ".join(front.left), " ".join(said.leaving.lines) if said.leaving else "", front.next,
            " ".join(front.due),
        )  # fmt: skip
        for place, cell in enumerate(cells):
            if cell is not None:
                sheet.write_string(row, place, cell, words)
        sheet.write_datetime(row, HEADS.index("Day"), said.subject.day, day)
    book.close()
    return made.getvalue()
