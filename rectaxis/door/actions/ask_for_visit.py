"""Ask for a visit, and settle what was asked."""

from __future__ import annotations

import datetime as dt

from django.db import transaction
from django.utils import timezone

from rectaxis.common.locks import locking
from rectaxis.door.models import VisitRequest
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import demand, may_ask, may_work
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError

LONGEST = 300


class RequestError(RecordError):
    """What cannot be asked or settled; the text says why."""


@transaction.atomic
def ask_for_visit(person: User, vehicle: Vehicle, wish: str, until: dt.date | None = None) -> VisitRequest:
    """Ask for a visit to a vehicle; the same wish that still waits is one. **Raises** PermissionDenied, RequestError."""
    demand(allowed=may_ask(person, vehicle.fleet_id))
    wish = " ".join(wish.split())[:LONGEST]
    if not wish:
        raise RequestError("Say what is wrong, or what you want done.")
    locking(Vehicle).get(pk=vehicle.pk)
    there = VisitRequest.objects.filter(vehicle=vehicle, wish=wish, settled="").first()
    return there or VisitRequest.objects.create(vehicle=vehicle, wish=wish, until=until, by=person)


@transaction.atomic
def settle_request(person: User, request: VisitRequest, said: str) -> VisitRequest:
    """Say what becomes of it: the fleet sees that. **Raises** PermissionDenied, RequestError."""
    demand(allowed=may_work(person))
    said = " ".join(said.split())[:LONGEST]
    if not said:
        raise RequestError("Say what becomes of it, such as the day that is planned.")
    request = locking(VisitRequest).get(pk=request.pk)
    request.settled, request.settled_by, request.settled_at = said, person, timezone.now()
    request.save(update_fields=["settled", "settled_by", "settled_at"])
    return request
