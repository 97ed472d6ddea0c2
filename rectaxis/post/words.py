"""What the names in a letter about a report stand for."""

from __future__ import annotations

from rectaxis.reports.content import Report


def values_of(report: Report, name: str) -> dict[str, str]:
    """What the names stand for in a letter about a report."""
    said, front = report.statement, report.front
    return {
        "name": name, "fleet": said.subject.fleet, "unit": said.subject.unit, "day": f"{said.subject.day:%-d %B %Y}",
        "number": said.number, "answer": f"{front.answer.head}: {front.answer.said}" if front.answer else "see the report",
        "next": front.next, "business": said.sender.name if said.sender else "",
    }  # fmt: skip
