"""Say what a fleet reckons with."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_ask
from rectaxis.people.models import User
from rectaxis.years.models import Reckoning


@transaction.atomic
def set_reckoning(person: User, fleet: Fleet, **words: Any) -> Reckoning:
    """The fleet's prices and habits as they are from now on. **Raises** PermissionDenied, ValidationError."""
    demand(allowed=may_ask(person, fleet.pk))
    locking(Fleet).get(pk=fleet.pk)
    made = Reckoning.objects.filter(fleet=fleet).first() or Reckoning(fleet=fleet)
    for name, value in words.items():
        setattr(made, name, value)
    made.full_clean()
    for name in ("tyre_price", "fuel_price", "fuel_l_per_100km", "life_km", "km_a_year"):
        if not 0 < getattr(made, name) <= 1_000_000:  # noqa: PLR2004 - a million of anything is mistyped
            raise ValidationError(
                {name: f"Expected more than 0, and no more than a million, got {getattr(made, name):g}."}
            )
    made.save()
    return made
