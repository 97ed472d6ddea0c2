"""Mark damage that is already there on the vehicle's outline."""

from __future__ import annotations

from uuid import UUID

from rectaxis.common.keys import time_key
from rectaxis.jobs.models import Job, Mark
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

MOST_MARKS = 60
LONGEST = 200


class MarkError(ValueError):
    """A mark that cannot be made; the text says why."""


def mark_damage(person: User, job: Job, key: object, x: float | str, y: float | str, what: str) -> Mark:
    """Mark a place by its shares of the drawing's width and height. The same key twice is one mark.

    **Raises** PermissionDenied, ValueError.
    """
    demand(allowed=may_measure(person))
    if job.closed:
        raise MarkError("This job is closed; its record stays as it is.")
    across, down = _share(x), _share(y)
    what = what.strip()
    if not 0 < len(what) <= LONGEST:
        raise MarkError("Say what the damage is, in at most 200 characters.")
    made_key: UUID = time_key(key)
    if Mark.objects.filter(job=job).exclude(id=made_key).count() >= MOST_MARKS:
        raise MarkError(f"A job keeps at most {MOST_MARKS} marks.")
    mark, _ = Mark.objects.get_or_create(
        id=made_key, defaults={"job": job, "by": person, "x": across, "y": down, "what": what}
    )
    return mark


def _share(given: float | str) -> float:
    try:
        share = float(given)
    except ValueError:
        share = -1.0
    if not 0 <= share <= 1:
        raise MarkError("Tap the drawing where the damage is, or choose a place.")
    return share


def set_mark_aside(person: User, mark: Mark, *, removed: bool) -> Mark:
    """Take a mark off the drawing, or put it back. **Raises** PermissionDenied, ValueError."""
    demand(allowed=may_measure(person))
    if mark.job.closed:
        raise MarkError("This job is closed; its record stays as it is.")
    mark.removed = removed
    mark.save(update_fields=["removed"])
    return mark
