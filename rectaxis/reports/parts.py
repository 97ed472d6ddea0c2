"""A report's content in parts, each with facts, lines and a table, for formats that have no drawing: sheets, letters, CSV.

Numbers stay numbers, with their unit in a cell of its own; beside them stands what the page says.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from rectaxis.common.days import day_of
from rectaxis.drawing.strips import WORDS, Judged
from rectaxis.reports.content import Report
from rectaxis.reports.looked import worst_first

Cell = str | float | dt.date | None
DECIMALS = {"mm": 1, "°": 2}
"""How many decimals of a number are shown, by its unit: as many as the page shows."""
_LENGTHS = ("_mm",)


@dataclass(frozen=True)
class Part:
    """One part. ``facts`` are pairs of a name and a value; each row of the table has a cell for each of its ``heads``."""

    title: str
    facts: tuple[tuple[str, Cell], ...] = ()
    lines: tuple[str, ...] = ()
    heads: tuple[str, ...] = ()
    rows: tuple[tuple[Cell, ...], ...] = ()

    @property
    def empty(self) -> bool:
        return not (self.facts or self.lines or self.rows)


def parts(report: Report) -> list[Part]:
    """All parts that have something, the answer first."""
    makers = (
        _front,
        _set_up,
        _angles,
        _every_angle,
        _sentences,
        _done,
        _left,
        _tyres,
        _looked,
        _gates,
        _readings,
        _seals,
    )
    return [part for make in makers if not (part := make(report)).empty]


ANGLES = (
    "Axle", "Angle", "Unit", "Limit, least", "Limit, most", "Preferred",
    "Before", "Before, ±", "Before, verdict", "Before, in words", "After", "After, ±", "After, verdict", "After, in words",
)  # fmt: skip


def _front(report: Report) -> Part:
    said, about, front = report.statement, report.statement.subject, report.front
    facts: list[tuple[str, Cell]] = [
        ("Report", said.number or None), ("Fleet", about.fleet), ("Vehicle", about.unit), ("Registration", about.registration),
        ("VIN", about.vin or None), ("Make and model", f"{about.make} {about.model}".strip() or None), ("Day", about.day),
        ("Odometer", _answer(report, "arrive/odometer")), ("Why it came", _answer(report, "arrive/reason")),
        ("Asked by", _answer(report, "arrive/asked-by")), ("Asked", about.asked or None),
        *((title, f"{one.head}. {one.said}") for title, one in front.answers), ("Next", front.next),
        ("Ended early", said.ended or None), ("Measured by", about.technician), ("Kit", about.kit),
        ("Serial number", about.serial or None), ("Certified until", about.certified_until),
        ("Judged by", f"{about.figures} ({about.figures_source})" if about.figures_source else about.figures),
        ("Received by", _answer(report, "hand-over/received-by")),
        *((("Business", said.sender.name),) if said.sender else ()),
    ]  # fmt: skip
    unsafe = [f"Do not drive until repaired: {line}" for line in report.not_safe]
    costs = [*said.leaving.lines, *said.leaving.assumptions] if said.leaving else []
    lines = (*unsafe, *((front.cannot,) if front.cannot else ()), *costs)
    return Part("Report", tuple((name, value) for name, value in facts if value is not None), lines)


def _set_up(report: Report) -> Part:
    rows = tuple((name, label, said) for name, lines in report.set_up for label, said in lines)
    return Part("Set-up sheet", heads=("Where", "What", "As it leaves"), rows=rows)


def _answer(report: Report, slot: str) -> str | None:
    answer = report.statement.answers.get(slot)
    return answer.said if answer else None


def _angles(report: Report) -> Part:
    with_after = report.statement.phase == "after"
    rows = tuple(_angle(row, report.said_in, with_after=with_after) for row in report.statement.judged)
    return Part("Angles", heads=ANGLES, rows=rows)


def _angle(row: Judged, style: str, *, with_after: bool) -> tuple[Cell, ...]:
    """Values as they were solved, in degrees or mm; toe-in, leaning out and to the right are above zero."""
    unit = "mm" if row.quantity.endswith(_LENGTHS) else "°"
    now = (row.value, row.expanded, row.unread or WORDS[row.verdict], row.text.get(style))
    was = (row.earlier, row.earlier_expanded, WORDS.get(row.earlier_verdict), row.earlier_text.get(style))
    both = (*was, *now) if with_after else (*now, None, None, None, None)
    return (row.title, row.label, unit, row.low, row.high, row.preferred, *both)


def _every_angle(report: Report) -> Part:
    rows = tuple((axle, label, before or None, after or None) for axle, label, before, after in report.every_angle)
    return Part("Every angle", heads=("Axle", "Angle", "Before", "After"), rows=rows)


def _sentences(report: Report) -> Part:
    rows = [("Before", line) for line in report.before] + [("After", line) for line in report.after]
    return Part("What was found", heads=("Phase", "What it means"), rows=tuple(rows))


def _done(report: Report) -> Part:
    said = report.statement
    rows: list[tuple[Cell, ...]] = [
        ("Moved", f"{move.said[:1].upper()}{move.said[1:]}", move.by) for move in said.moves
    ]
    rows += [("Tightened", f"{one.name}: {one.typed}", None) for one in said.tightened]
    rows += [("Left alone", f"{one.name}: {one.typed}", None) for one in said.left_alone]
    asked = ("prove/road-test", "prove/torque", "prove/felt", "prove/sensors", "prove/assistance", "roll/locked")
    rows += [(said.answers[slot].label, said.answers[slot].said, None) for slot in asked if slot in said.answers]
    return Part("What was done", heads=("What", "How", "By"), rows=tuple(rows))


def _left(report: Report) -> Part:
    said = report.statement
    rows: list[tuple[Cell, ...]] = [("Left", line, None) for line in report.front.left]
    rows += [("Advised", one.said, _day(one.due)) for one in said.advice]
    rows += [("Advised last time", line, None) for line in said.followed]
    rows += [("Watch", said.answers["hand-over/next"].typed, None)] if "hand-over/next" in said.answers else []
    rows += [("Already there", mark.said, None) for mark in said.marks]
    return Part("What is left", heads=("What", "Which", "By when"), rows=tuple(rows))


def _day(iso: str) -> Cell:
    return day_of(iso) or iso or None


def _tyres(report: Report) -> Part:
    heads = ("Wheel", "Pressure, bar", "Tread outer, mm", "Tread middle, mm", "Tread inner, mm", "Wear")
    rows = tuple((name, *(_number(cell) for cell in cells)) for name, cells in report.statement.tyres)
    return Part("Tyres", heads=heads, rows=rows)


def _number(text: str) -> Cell:
    try:
        return float(text)
    except ValueError:
        return text or None


def _looked(report: Report) -> Part:
    looked = sorted(report.statement.looked, key=worst_first)
    rows = tuple((one.label, one.said, one.why) for one in looked)
    return Part("Looked over", heads=("Part", "Found", "Why"), rows=rows)


def _gates(report: Report) -> Part:
    rows = tuple((one.said, one.reason or "gone on without", one.by or None) for one in report.statement.gates)
    return Part("Gone on in spite of", heads=("What", "Reason", "By"), rows=rows)


def _readings(report: Report) -> Part:
    rows = tuple((one.phase, one.scale, one.said, one.device or None) for one in report.statement.read)
    return Part("Readings", heads=("Phase", "Scale", "Read", "By device"), rows=rows)


def _seals(report: Report) -> Part:
    rows: Iterator[tuple[Cell, ...]] = (
        (seal.phase, seal.revision, seal.reason or None, seal.by.shown_name, f"{seal.at.astimezone(report.zone):%Y-%m-%d %H:%M %Z}",
         seal.core_version, seal.digest)
        for seal in report.every_seal
    )  # fmt: skip
    return Part(
        "Seals", heads=("What", "Revision", "Why corrected", "By", "When", "Core", "Fingerprint"), rows=tuple(rows)
    )


def plain(cell: Cell, unit: Any = None) -> str:
    """A cell as text: a number with as many decimals as its unit has, a day as 2026-08-03."""
    if isinstance(cell, float):
        return f"{cell:.{DECIMALS.get(unit, 1)}f}"
    return "" if cell is None else str(cell)


def unit_of(row: Sequence[Cell]) -> str:
    """The unit of a row of angles, empty for any other row."""
    return next((str(cell) for cell in row if cell in DECIMALS), "")
