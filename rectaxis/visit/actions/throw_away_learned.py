"""Throw away what a visit's moves taught of adjusters, or count it again: a hand slipped, or a part was changed since."""

from __future__ import annotations

from uuid import UUID

from rectaxis.people.models import User
from rectaxis.record.models import Job, Taught
from rectaxis.record.writing import writing


def throw_away_learned(person: User, job: Job, taught: UUID, *, aside: bool) -> Taught:
    """Set one thing aside that was learned of the job's vehicle or of its model, or count it again; the job itself no longer
    goes by it. **Raises** PermissionDenied, ClosedError, Taught.DoesNotExist for what is of another model.
    """
    with writing(person, job) as book:
        vehicle = book.job.vehicle
        found = Taught.objects.get(pk=taught, make=vehicle.make, model=vehicle.model)
        found.set_aside = aside
        found.save(update_fields=["set_aside"])
        learned = dict(book.job.layout.get("learned", {}))
        if aside and learned.pop(found.family, None) is not None:
            book.job.layout = book.job.layout | {"learned": learned}
            book.job.save(update_fields=["layout"])
    return found
