"""Change what is written of a kit: its name, its certificate, its zones, whether it is still used."""

from __future__ import annotations

import datetime as dt

from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.kits.models import Kit
from rectaxis.kits.signals import kit_changed
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User


@transaction.atomic
def change_kit(
    person: User,
    kit: Kit,
    name: str,
    certified_until: dt.date | None,
    *,
    retired: bool = False,
    battery_hours: float | None = None,
    **zones: str,
) -> Kit:
    """The kit as it is from now on; visits that were opened keep it as it was. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    kit = locking(Kit).get(pk=kit.pk)
    kit.name, kit.certified_until, kit.retired, kit.battery_hours = name, certified_until, retired, battery_hours
    for zone, text in zones.items():
        setattr(kit, zone, text)
    kit.save()
    kit_changed.send(sender=Kit, kit=kit)
    return kit
