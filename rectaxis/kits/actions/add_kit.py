"""Add a kit to the van."""

import datetime as dt

from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User


def add_kit(
    person: User,
    name: str,
    code: str,
    certified_until: dt.date | None,
    battery_hours: float | None = None,
    **zones: str,
) -> Kit:
    """A new kit of a kind that the core knows; ``zones`` are ``toe_in_zone`` and ``toe_out_zone``.

    **Raises** PermissionDenied.
    """
    demand(allowed=may_work(person))
    return Kit.objects.create(
        name=name, code=code, certified_until=certified_until, battery_hours=battery_hours, **zones
    )
