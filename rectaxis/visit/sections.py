"""Sections of a report that are a heading and sentences: each is one function, added to ``SECTIONS``.

What a section says is stored in the seal with its code; the report's template shows every section that is there.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from alignment.judge.diagnose import diagnose
from rectaxis.record import seal
from rectaxis.record.slot import UNREAD, Opinion, Phase
from rectaxis.visit.decisions import AGREED
from rectaxis.visit.visit import Visit

Lines = Sequence[str]


def causes(visit: Visit) -> Lines:
    """Causes that the program proposed from the before, and the technician agreed with."""
    return [finding.said for finding in findings(visit) if finding.opinion == AGREED]


def findings(visit: Visit) -> list[seal.Found]:
    """Causes proposed from the before, with what the technician said to each."""
    if Phase.BEFORE not in visit.journal.seals:
        return []
    proposed = diagnose(visit.decisions.evidence(visit.results(Phase.BEFORE)))
    answer = visit.journal.answer
    return [seal.Found(one.code, one.sure, one.say(), answer(Opinion(one.code))) for one in proposed]


def unread(visit: Visit) -> Lines:
    """Why scales were not read again before the next thing was moved."""
    return [entry.typed for entry in visit.journal.words(UNREAD)]


SECTIONS: dict[str, tuple[str, Callable[[Visit], Lines]]] = {
    "causes": ("What may be the cause", causes),
    "unread": ("Moved on without reading again, because", unread),
}
"""By code, the heading and what makes the sentences, in the order in which they stand in the report."""


def sections(visit: Visit) -> tuple[seal.Section, ...]:
    """The sections of a visit's report that say anything."""
    made = ((code, title, tuple(make(visit))) for code, (title, make) in SECTIONS.items())
    return tuple(seal.Section(code, title, lines) for code, title, lines in made if lines)
