"""Ask for a plan of some days, take what there is, or leave it unused."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping
from uuid import UUID

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from rectaxis.common.days import within_reason
from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.rounds.gather import days_between, gathered
from rectaxis.rounds.models import Run

MOST_DAYS = 14
_ONE_DAY_S, _WEEK_S, _AGAIN_S = 10, 30, 5


class PlanError(RecordError):
    """A plan that cannot be made or used; the text says why."""


@transaction.atomic
def ask_for_plan(
    person: User, first: dt.date, last: dt.date, *, again: bool = False, late: Mapping[UUID, dt.datetime] | None = None
) -> Run:
    """A plan of the days, made by the worker. ``again``: of the first day from now on, with when visits in hand will end.

    **Raises** PermissionDenied, PlanError.
    """
    demand(allowed=may_work(person))
    now = timezone.now()
    if again:
        first = last = timezone.localdate()
    if last < first or (last - first).days >= MOST_DAYS:
        raise PlanError(f"Choose from 1 to {MOST_DAYS} days.")
    if last < timezone.localdate():
        raise PlanError("These days are over.")
    if not within_reason(last):
        raise PlanError("Choose days of our time.")
    found = gathered(days_between(max(first, timezone.localdate()), last), now, again=again, late=late)
    if not found.days.technicians:
        raise PlanError("Nobody has working hours yet: say when and from where somebody works.")
    if not found.days.visits:
        raise PlanError("There is nothing to plan: no visit is in the tray or on these days.")
    seconds = _AGAIN_S if again else _ONE_DAY_S if first == last else _WEEK_S
    run = Run.objects.create(
        by=person,
        first=first,
        last=last,
        days=json.loads(found.days.to_json()),
        unplaced=list(found.unplaced.values()),
        again=again,
        seconds=seconds,
    )
    app.configure_task("make_plan").defer(run=str(run.pk))
    return run


@transaction.atomic
def take_what_there_is(person: User, run: Run) -> Run:
    """End the search with the best plan so far. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    run = locking(Run).get(pk=run.pk)
    run.enough = True
    run.save(update_fields=["enough"])
    return run


@transaction.atomic
def drop_plan(person: User, run: Run) -> Run:
    """Leave a plan unused. **Raises** PermissionDenied, PlanError."""
    demand(allowed=may_work(person))
    run = locking(Run).get(pk=run.pk)
    if run.status == Run.Status.USED:
        raise PlanError("It is used already. Move what should be elsewhere, or plan again.")
    run.status, run.enough = Run.Status.DROPPED, True
    run.save(update_fields=["status", "enough"])
    return run
