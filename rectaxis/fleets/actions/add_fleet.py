"""Add a customer."""

from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User


def add_fleet(person: User, name: str, yard: str) -> Fleet:
    """A new fleet. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    return Fleet.objects.create(name=name, yard=yard)
