"""A CSV file or a workbook as a table of text: as other programs write them."""

from __future__ import annotations

import csv
import datetime as dt
import io
import zipfile

import openpyxl

from rectaxis.common.fields import without_nul
from rectaxis.record.errors import RecordError

MOST_BYTES, MOST_LINES, MOST_COLUMNS, LONGEST_CELL = 8_000_000, 20_000, 60, 300
_MOST_UNPACKED = 200_000_000
_SNIFFED = 20_000


class TableError(RecordError):
    """A file that cannot be read as a list; the text says why."""


def read_table(name: str, content: bytes) -> list[list[str]]:
    """The rows of a list, the heads first; empty rows are left out. **Raises** TableError."""
    if len(content) > MOST_BYTES:
        raise TableError(f"Expected at most {MOST_BYTES // 1_000_000} MB, got {len(content) / 1_000_000:.0f} MB.")
    rows = _workbook(content) if content[:2] == b"PK" else _text(content)
    rows = [row[: max(place for place, cell in enumerate(row, start=1) if cell)] for row in rows if any(row)]
    if len(rows) < 2:  # noqa: PLR2004 - heads and a line
        raise TableError(f"Expected names of columns and at least one line below them in {name}.")
    if len(rows) > MOST_LINES + 1:
        raise TableError(f"Expected at most {MOST_LINES:,} lines, got {len(rows) - 1:,}. Split the file.")
    wide = max(len(row) for row in rows)
    if wide > MOST_COLUMNS:
        raise TableError(f"Expected at most {MOST_COLUMNS} columns, got {wide}.")
    return [[cell[:LONGEST_CELL] for cell in row] + [""] * (wide - len(row)) for row in rows]


def _text(content: bytes) -> list[list[str]]:
    """UTF-8, or as older programs write it; with whatever stands between the columns."""
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("cp1252", errors="replace")
    text = without_nul(text)
    try:
        kind: type[csv.Dialect] | csv.Dialect = csv.Sniffer().sniff(text[:_SNIFFED], delimiters=",;\t|")
    except csv.Error:
        kind = csv.excel
    try:
        return [[" ".join(cell.split()) for cell in row] for row in csv.reader(io.StringIO(text), kind)]
    except csv.Error as error:
        raise TableError(f"This is no CSV file: {error}.") from None


def _workbook(content: bytes) -> list[list[str]]:
    """The first sheet of a workbook."""
    if _unpacked(content) > _MOST_UNPACKED:
        raise TableError("This workbook unpacks to more than any list needs.")
    try:
        book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        return [
            [_cell(value) for value in row]
            for row in sheet.iter_rows(max_row=MOST_LINES + 2, max_col=MOST_COLUMNS + 1, values_only=True)
        ]
    except Exception as error:
        raise TableError("This workbook cannot be read. Save it anew as .xlsx, or as CSV.") from error


def _unpacked(content: bytes) -> int:
    """How many bytes a packed file says it has, unpacked; 0 of one that is none."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            return sum(one.file_size for one in packed.infolist())
    except (zipfile.BadZipFile, OSError, ValueError):
        return 0


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, dt.datetime):
        return value.date().isoformat()
    return " ".join(without_nul(str(value)).split())
