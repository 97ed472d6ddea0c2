"""Take what is due into the tray, add to it by hand, change what is wished, and set aside."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from typing import Any

from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.fleets.models import Vehicle
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.rounds.due import Due
from rectaxis.rounds.models import Call


class CallError(RecordError):
    """A want that cannot be; the text says why."""


@transaction.atomic
def take_due(person: User, due: Iterable[Due]) -> list[Call]:
    """What is due goes into the tray; what is there already stays as it is. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    made = []
    for one in due:
        locking(Vehicle).get(pk=one.vehicle.pk)
        there = Call.objects.filter(source=one.source, source_key=one.key).first()
        if there is None:
            there = Call.objects.create(
                vehicle=one.vehicle, source=one.source, source_key=one.key, asked=one.asked, urgency=one.urgency, by=one.by,
                why=" ".join(one.why)[:600], added_by=person,
            )  # fmt: skip
        elif there.set_aside:
            there.set_aside, there.by, there.urgency = False, one.by, one.urgency
            there.save(update_fields=["set_aside", "by", "urgency"])
        made.append(there)
    return made


@transaction.atomic
def add_call(person: User, vehicle: Vehicle, **wishes: Any) -> Call:
    """A visit that is wanted, typed by a person. **Raises** PermissionDenied, CallError."""
    demand(allowed=may_work(person))
    _check(wishes)
    return Call.objects.create(vehicle=vehicle, added_by=person, **wishes)


@transaction.atomic
def change_call(person: User, call: Call, **wishes: Any) -> Call:
    """Other wishes. **Raises** PermissionDenied, CallError."""
    demand(allowed=may_work(person))
    _check(wishes)
    call = locking(Call).get(pk=call.pk)
    for name, value in wishes.items():
        setattr(call, name, value)
    call.save()
    return call


@transaction.atomic
def set_aside(person: User, call: Call) -> Call:
    """Out of the tray; what is due proposes itself again. **Raises** PermissionDenied, CallError."""
    demand(allowed=may_work(person))
    call = locking(Call).get(pk=call.pk)
    if call.job_id is not None:
        raise CallError("It is planned already: change or end the visit.")
    call.set_aside = True
    call.save(update_fields=["set_aside"])
    return call


def _check(wishes: dict[str, Any]) -> None:
    start, end = wishes.get("ready_from"), wishes.get("ready_until")
    if isinstance(start, dt.time) and isinstance(end, dt.time) and end <= start:
        raise CallError("It stands ready until a time that is not after the first one.")
    if wishes.get("at") and not wishes.get("on"):
        raise CallError("A time needs its day: say on which.")
