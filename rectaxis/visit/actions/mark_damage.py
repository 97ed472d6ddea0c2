"""Mark damage that is already there on the vehicle's outline."""

from __future__ import annotations

from rectaxis.common.keys import made_key
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job, Mark
from rectaxis.record.writing import known, writing
from rectaxis.visit.fields import plain_text

MOST_MARKS = 60
LONGEST = 200


class MarkError(RecordError):
    """A mark that cannot be made; the text says why."""


def mark_damage(person: User, job: Job, key: object, x: float | str, y: float | str, what: str) -> Mark:
    """Mark a place by its shares of the drawing's width and height. The same key twice is one mark.

    **Raises** PermissionDenied, ValueError.
    """
    with writing(person, job) as book:
        made = made_key(key)
        across, down, what = _share(x), _share(y), plain_text(what, LONGEST)
        if not what:
            raise MarkError("Say what the damage is, in at most 200 characters.")
        there = known(Mark, made, book.job)
        if there is not None:
            return there
        if Mark.objects.filter(job=book.job).count() >= MOST_MARKS:
            raise MarkError(f"A job keeps at most {MOST_MARKS} marks.")
        return book.add(Mark(pk=made, x=across, y=down, what=what))


def _share(given: float | str) -> float:
    try:
        share = float(given)
    except ValueError:
        share = -1.0
    if not 0 <= share <= 1:
        raise MarkError("Tap the drawing where the damage is, or choose a place.")
    return share


def set_mark_aside(person: User, mark: Mark, *, removed: bool) -> Mark:
    """Take a mark off the drawing, or put it back. **Raises** PermissionDenied, ClosedError."""
    with writing(person, mark.job):
        mark.removed = removed
        mark.save(update_fields=["removed"])
    return mark
