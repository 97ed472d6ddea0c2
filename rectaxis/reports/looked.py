"""What was looked over, the worst first: a report begins with what matters."""

from __future__ import annotations

import msgspec

from alignment.procedure.checklist import SOUND, UNSAFE, WORN
from rectaxis.record.seal import Answered, Photographed, Statement


def worst_first(answer: Answered) -> int:
    """Where an answer stands: the unsafe, the worn, what is neither, the sound."""
    return {UNSAFE: 0, WORN: 1, SOUND: 3}.get(answer.typed, 2)


def by_what_was_found(statement: Statement) -> dict[str, list[str]]:
    """The parts by what was found of them, each with why where somebody said it."""
    found: dict[str, list[str]] = {}
    for one in sorted(statement.looked, key=worst_first):
        found.setdefault(one.said, []).append(f"{one.label} ({one.why})" if one.why else one.label)
    return found


def part_photos(statement: Statement) -> list[Photographed]:
    """Photos of parts that were looked over, each with what was found in its caption."""
    answers = statement.answers
    found = [(photo, answers[photo.slot]) for photo in statement.photos if photo.slot in answers]
    found.sort(key=lambda one: worst_first(one[1]))
    return [msgspec.structs.replace(photo, caption=f"{photo.caption}: {answer.said}") for photo, answer in found]


def other_photos(statement: Statement) -> list[Photographed]:
    """Photos of what is no part that was looked over: of damage, or of nothing in particular."""
    return [photo for photo in statement.photos if photo.slot not in statement.answers]
