"""Use a plan: visits get their time and technician, those in the tray become visits."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.door.actions.ask_for_visit import settle_request
from rectaxis.door.models import VisitRequest
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.rounds.actions.ask_for_plan import PlanError
from rectaxis.rounds.arranged import arranged
from rectaxis.rounds.models import Call, Run
from rectaxis.visit.actions.change_visit import change_visit
from rectaxis.visit.actions.open_job import open_job


@dataclass
class Used:
    """How many visits got another time, were made, and stayed as they were since they had begun or changed meanwhile."""

    moved: int = 0
    made: int = 0
    left: int = 0


@transaction.atomic
def use_plan(person: User, run: Run) -> Used:
    """Everything that a plan says, or nothing. Again, it does nothing. **Raises** PermissionDenied, PlanError, KitError."""
    demand(allowed=may_work(person))
    run = locking(Run).get(pk=run.pk)
    if run.status == Run.Status.USED:
        return Used()
    if run.status != Run.Status.READY or run.plan is None:
        raise PlanError(f"This plan is {run.get_status_display()}; it cannot be used.")
    people = {str(one.pk): one for one in User.objects.filter(is_active=True)}
    kits, visits, used = (
        {str(one.pk): one for one in Kit.objects.all()},
        {one["key"]: one for one in run.days["visits"]},
        Used(),
    )
    for technician, stop in _stops(run.plan):
        kind, key = stop["visit"].split("/", 1)
        if technician not in people:
            used.left += 1
            continue
        call = (
            _moved(person, key, people[technician], stop)
            if kind == "job"
            else _made(person, key, people[technician], stop, kits)
        )
        if call is None:
            used.left += 1
            continue
        used.moved, used.made = used.moved + (kind == "job"), used.made + (kind == "call")
        asked = visits[stop["visit"]]
        call.takes, call.why = [asked["minutes"], asked.get("low", 0), asked.get("high", 0)], stop.get("why", "")[:600]
        call.save()
    run.status = Run.Status.USED
    run.save(update_fields=["status"])
    return used


def _stops(plan: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    return ((out["technician"], stop) for out in plan["turns"] for stop in out["stops"])


def _moved(person: User, key: str, technician: User, stop: dict[str, Any]) -> Call | None:
    job = Job.objects.filter(pk=UUID(key), status=Job.Status.PLANNED).first()
    if job is None:
        return None
    begins = dt.datetime.fromisoformat(stop["begins"])
    job = change_visit(person, job, job.kits, job.rig.get("scope", "all"), begins, technician, job.asked)
    return arranged(person, job)


def _made(person: User, key: str, technician: User, stop: dict[str, Any], kits: dict[str, Kit]) -> Call | None:
    call = locking(Call).select_related("vehicle").filter(pk=UUID(key), job=None, set_aside=False).first()
    kit = None if call is None else call.kit or kits.get(stop.get("kit", ""))
    if call is None or kit is None:
        return None
    begins = dt.datetime.fromisoformat(stop["begins"])
    job = open_job(person, call.vehicle, kit, begins, call.asked, scope=call.scope)
    call.job = change_visit(person, job, [kit], call.scope, begins, technician, call.asked)
    call.kit = kit
    _answer(person, call, begins)
    return call


def _answer(person: User, call: Call, begins: dt.datetime) -> None:
    """A fleet that asked for it sees the day that is planned."""
    if call.source == Call.Source.ASKED:
        wish = VisitRequest.objects.filter(pk=call.source_key, settled="").first()
        if wish is not None:
            settle_request(person, wish, f"A visit is planned on {begins:%-d %B %Y}.")
