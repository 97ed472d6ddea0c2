"""Change a fleet's name or yard."""

from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User


def change_fleet(person: User, fleet: Fleet, name: str, yard: str) -> Fleet:
    """The fleet as it is called from now on; sealed reports keep its name. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    fleet.name, fleet.yard = name, yard
    fleet.save(update_fields=["name", "yard"])
    return fleet
