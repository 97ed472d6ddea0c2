"""Making plans: the worker's."""

from __future__ import annotations

import datetime as dt
import logging
from typing import Any

import msgspec
from django.db import close_old_connections
from django.utils import timezone
from procrastinate.contrib.django import app

from planning.errors import PlanningError
from planning.grid import Grid
from planning.model import Days
from planning.plan import as_it_is, as_plan, plan_of, searched
from planning.replan import changes
from planning.result import Plan
from planning.search import Search
from planning.whatif import what_more_brings
from rectaxis.rounds.models import Run

KEPT = dt.timedelta(days=92)
"""So long after its last day a plan is kept: what it was made from is as large as all that was planned then."""
_log = logging.getLogger(__name__)
_MORE_S = 4.0


@app.task(name="make_plan", queue="reports")
def make_plan(run: str) -> None:
    """Make a plan, telling how far it is; killed, it begins anew."""
    found = Run.objects.get(pk=run)
    if not found.under_way:
        return
    Run.objects.filter(pk=run).update(status=Run.Status.MAKING, share=0)
    try:
        days = Days.from_json(msgspec.json.encode(found.days))
        plan = _planned(days, found)
    except PlanningError as error:
        Run.objects.filter(pk=run).update(status=Run.Status.FAILED, said=str(error)[:300])
        return
    more: list[Any] = []
    if plan.left_out and not found.again:
        more = [one.said for one in what_more_brings(days, plan, seconds=_MORE_S)]
    changed = [msgspec.to_builtins(one) for one in changes(days, plan) if one.code != "same"]
    # One that was dropped meanwhile stays dropped.
    Run.objects.filter(pk=run, status=Run.Status.MAKING).update(
        status=Run.Status.READY, plan=plan.plain(), more=more, changes=changed, share=100
    )


@app.periodic(cron="40 3 * * *")
@app.task(name="forget_plans", queue="reports", queueing_lock="forget_plans")
def forget_plans(timestamp: int = 0) -> None:  # noqa: ARG001 - the queue says for when it is
    """Plans of days that are long over go, each night; the visits that they planned stay."""
    Run.objects.filter(last__lt=timezone.localdate() - KEPT).delete()


def _planned(days: Days, run: Run) -> Plan:
    def tell(share: float, _cost: float) -> bool:
        close_old_connections()
        Run.objects.filter(pk=run.pk, status=Run.Status.MAKING).update(share=round(100 * share))
        return Run.objects.filter(pk=run.pk, enough=True).exists()

    if not run.again:
        return plan_of(days, seconds=run.seconds, tell=tell)
    grid = Grid.of(days)
    orders = searched(grid, run.seconds, tell=tell, begin=as_it_is(grid))
    return as_plan(grid, Search(grid), orders)
