"""The first page of a report: what somebody who manages vehicles asks, answered from what is sealed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from alignment.judge.fitness import UNSAFE
from alignment.procedure.checklist import NEXT_DAY, NEXT_ODOMETER
from rectaxis.common.templatetags.dates import in_dates
from rectaxis.drawing.strips import WORDS, Judged
from rectaxis.record.seal import Fit, Statement

CANNOT_KNOW = (
    "A toe-only job: the toe of what steers was measured, and nothing else. It cannot know where the rear pushes the vehicle, nor whether it"
    " runs straight."
)
"""What a job that reads toe alone says on its first line."""


@dataclass(frozen=True)
class Changed:
    """An angle that is judged otherwise than before, or was adjusted."""

    label: str
    was: str
    now: str
    was_verdict: str
    now_verdict: str


@dataclass(frozen=True)
class Front:
    """``style`` is the reader's angle style, ``dates`` the business's way to write a day."""

    statement: Statement
    style: str
    dates: str

    @property
    def shown(self) -> bool:
        """Whether this was sealed with an answer: statements of before there was one have none."""
        return self.statement.found is not None or self.statement.left is not None

    @property
    def answer(self) -> Fit | None:
        """How it is now: as left, or as found where nothing was read after that."""
        return self.statement.left or self.statement.found

    @property
    def cannot(self) -> str:
        """What this sort of job cannot know; empty of one that can."""
        return CANNOT_KNOW if self.statement.subject.toe_only else ""

    @property
    def answers(self) -> list[tuple[str, Fit]]:
        """As found and as left, each where it is known."""
        both = (("As found", self.statement.found), ("As left", self.statement.left))
        return [(title, one) for title, one in both if one is not None]

    @cached_property
    def changed(self) -> list[Changed]:
        """What is judged otherwise than before first, then what was adjusted."""
        rows = [row for row in self.statement.judged if row.value is not None and row.earlier is not None]
        rows = [row for row in rows if row.moved or row.verdict != row.earlier_verdict]
        return [self._changed(row) for row in sorted(rows, key=lambda row: row.verdict == row.earlier_verdict)]

    def _changed(self, row: Judged) -> Changed:
        was, now = row.earlier_text.get(self.style, ""), row.text.get(self.style, "")
        title = f"{row.title}, {row.label}"
        return Changed(title, was, now, WORDS.get(row.earlier_verdict, ""), WORDS[row.verdict])

    @property
    def left(self) -> list[str]:
        """What is left and why, the unsafe first."""
        return list(self._left())

    def _left(self) -> Iterator[str]:
        said = self.statement
        for one in said.left_out:
            yield f"{one.said}{f' ({one.why})' if one.why else ''}"
        yield from (words.get(self.style) or words.get("deg", "") for words in said.still_outside)
        for held in said.left_alone:
            yield f"{held.name[:1].upper()}{held.name[1:]} was left alone: {held.typed}"
        if "hand-over/left" in said.answers:
            yield said.answers["hand-over/left"].typed

    @property
    def next(self) -> str:
        """By when to measure it again, or what comes before that."""
        said = self.statement
        if self.answer is not None and self.answer.code == UNSAFE:
            return "Have it repaired, then have it measured again."
        day, odometer = (said.answers.get(slot) for slot in (NEXT_DAY, NEXT_ODOMETER))
        whens = [in_dates(day.typed, self.dates)] if day else []
        whens += [odometer.said] if odometer else []
        if whens:
            first = ", whichever comes first" if len(whens) > 1 else ""
            return f"Measure it again by {' or at '.join(whens)}{first}."
        return "No date was set for the next measurement."

    @property
    def due(self) -> list[str]:
        """The advice that has a day, the earliest first."""
        dated = sorted((one for one in self.statement.advice if one.due), key=lambda one: one.due)
        return [f"{one.said.rstrip('.')}, by {in_dates(one.due, self.dates)}." for one in dated]
