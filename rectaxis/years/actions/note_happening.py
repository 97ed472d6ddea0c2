"""Note what happened to a vehicle between visits, and take a note back."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone
from uuid6 import uuid7

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import demand, may_ask
from rectaxis.people.models import User
from rectaxis.record.pictures import keep_picture, written_anew
from rectaxis.years.models import Happening

_AGAIN = dt.timedelta(minutes=1)


@transaction.atomic
def note_happening(person: User, vehicle: Vehicle, picture: bytes | None = None, **words: Any) -> Happening:
    """A note with ``day``, ``kind``, ``what`` and, where known, ``odometer``, ``axle`` and ``renewed``; the same twice within a minute is one.

    **Raises** PermissionDenied, ValidationError, PictureError.
    """
    demand(allowed=may_ask(person, vehicle.fleet_id))
    kept = written_anew(picture) if picture else None
    locking(Vehicle).get(pk=vehicle.pk)
    made = Happening(pk=uuid7(), vehicle=vehicle, by=person, picture=kept.digest if kept else "", **words)
    made.full_clean()
    axles = len(vehicle.layout["vehicle"]["axles"])
    if made.axle is not None and not 1 <= made.axle <= axles:
        raise ValidationError({"axle": f"Expected an axle from 1 to {axles}, got {made.axle}."})
    if made.day > timezone.localdate():
        raise ValidationError({"day": "Expected a day that has come."})
    same = Happening.objects.filter(
        vehicle=vehicle, day=made.day, kind=made.kind, what=made.what, taken_back=False, at__gt=timezone.now() - _AGAIN
    ).first()
    if same is not None:
        return same
    if kept is not None:
        keep_picture(kept)
    made.save()
    return made


@transaction.atomic
def take_back(person: User, happening: Happening) -> Happening:
    """It no longer counts; it stays in the database. **Raises** PermissionDenied."""
    demand(allowed=may_ask(person, happening.vehicle.fleet_id))
    happening = locking(Happening).get(pk=happening.pk)
    happening.taken_back = True
    happening.save(update_fields=["taken_back"])
    return happening
