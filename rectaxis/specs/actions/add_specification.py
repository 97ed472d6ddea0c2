"""Add a specification to the library."""

from typing import Any

from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.specs.models import Specification


def add_specification(person: User, rows: list[dict[str, Any]], **words: Any) -> Specification:
    """A new specification; ``rows`` are the job file's. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    return Specification.objects.create(rows=rows, **words)
