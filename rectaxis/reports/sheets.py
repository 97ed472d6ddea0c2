"""A report as a workbook, one sheet for each part, and as CSV: its angles, one line for each."""

from __future__ import annotations

import csv
import datetime as dt
import io

import xlsxwriter

from rectaxis.reports.content import Report
from rectaxis.reports.parts import ANGLES, DECIMALS, Cell, Part, parts, plain, unit_of

_WIDEST = 60
CREATED = dt.datetime(2000, 1, 1, tzinfo=dt.UTC)
"""When a workbook says that it was made: the same report is the same file."""


def xlsx_of(report: Report) -> bytes:
    """The report as a workbook: numbers as numbers, shown with as many decimals as the page has."""
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    book.set_properties(
        {"title": f"Wheel alignment, {report.statement.subject.unit}", "created": CREATED.replace(tzinfo=None)}
    )
    for part in parts(report):
        _Sheet(book, part).write()
    book.close()
    return made.getvalue()


class _Sheet:
    """One sheet of a workbook."""

    def __init__(self, book: xlsxwriter.Workbook, part: Part) -> None:
        self.sheet, self.part = book.add_worksheet(part.title[:31]), part
        self.bold = book.add_format({"bold": True, "text_wrap": True, "valign": "top"})
        self.words = book.add_format({"text_wrap": True, "valign": "top"})
        self.day = book.add_format({"num_format": "yyyy-mm-dd", "align": "left", "valign": "top"})
        self.numbers = {
            unit: book.add_format({"num_format": f"0.{'0' * decimals}", "valign": "top"})
            for unit, decimals in DECIMALS.items()
        }
        self.widths: dict[int, int] = {}

    def write(self) -> None:
        row = 0
        for name, value in self.part.facts:
            self._cell(row, 0, name, bold=True)
            self._cell(row, 1, value)
            row += 1
        for line in self.part.lines:
            self.sheet.write_string(row, 0, line)
            row += 1
        if self.part.rows:
            for place, head in enumerate(self.part.heads):
                self._cell(row, place, head, bold=True)
            self.sheet.freeze_panes(row + 1, 0)
        for number, cells in enumerate(self.part.rows, start=row + 1):
            for place, cell in enumerate(cells):
                self._cell(number, place, cell, unit=unit_of(cells))
        for place, width in self.widths.items():
            self.sheet.set_column(place, place, min(width + 2, _WIDEST))

    def _cell(self, row: int, place: int, cell: Cell, *, bold: bool = False, unit: str = "") -> None:
        self.widths[place] = max(self.widths.get(place, 8), len(plain(cell, unit)))
        if isinstance(cell, dt.date):
            self.sheet.write_datetime(row, place, dt.datetime.combine(cell, dt.time()), self.day)
        elif isinstance(cell, (int, float)):
            self.sheet.write_number(row, place, cell, self.numbers.get(unit))
        elif cell is not None:
            # As text, whatever it begins with: a name is no formula.
            self.sheet.write_string(row, place, cell, self.bold if bold else self.words)


def csv_of(report: Report) -> bytes:
    """The angles as CSV with a line of names: UTF-8 with its mark, so that spreadsheets read it right."""
    made = io.StringIO()
    out = csv.writer(made)
    about = report.statement.subject
    out.writerow(("Report", "Vehicle", "Day", *ANGLES))
    for row in next((part.rows for part in parts(report) if part.heads == ANGLES), ()):
        first = (report.statement.number, about.unit, about.day.isoformat())
        out.writerow([harmless(cell) for cell in (*first, *(_exact(cell) for cell in row))])
    return made.getvalue().encode("utf-8-sig")


def _exact(cell: Cell) -> str:
    return f"{cell:.6f}".rstrip("0").rstrip(".") if isinstance(cell, float) else plain(cell)


def harmless(cell: object) -> object:
    """A text that a spreadsheet would take as a formula gets an apostrophe before it; a number, also as text, stays one."""
    if not isinstance(cell, str):
        return cell
    try:
        float(cell)
    except ValueError:
        return f"'{cell}" if cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell
    return cell


def meant(cell: str) -> str:
    """A text as it was before it was made harmless."""
    return cell[1:] if cell[:1] == "'" and harmless(cell[1:]) != cell[1:] else cell
