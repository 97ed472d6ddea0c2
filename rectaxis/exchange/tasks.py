"""Taking lists and writing whole fleets: the worker's."""

from __future__ import annotations

import tempfile

from django.core.files.base import File
from django.core.files.storage import default_storage
from django.db import IntegrityError, transaction
from procrastinate.contrib.django import app

from rectaxis.common.locks import locking
from rectaxis.exchange.bring import BringError, bring_whole
from rectaxis.exchange.kinds import KINDS
from rectaxis.exchange.kinds.base import NEW
from rectaxis.exchange.mapping import looked_at
from rectaxis.exchange.models import Export, Import
from rectaxis.exchange.whole import write_whole
from rectaxis.people.access import may_manage, may_see_fleet


@app.task(name="take_list", queue="reports")
def take_list(key: str) -> None:
    """Make what is new in a list, all or nothing; again, it does nothing more."""
    try:
        with transaction.atomic():
            made = locking(Import).select_related("by").get(pk=key)
            if made.status != Import.Status.WAITING:
                return
            lines = [line for line in looked_at(made) if line.becomes == NEW]
            made.made = KINDS[made.kind].make(lines, made.by)
            made.status, made.said = (
                Import.Status.DONE,
                f"{len(lines)} of {len(made.lines)} lines were new, and were taken.",
            )
            made.save(update_fields=["made", "status", "said"])
    except IntegrityError:
        Import.objects.filter(pk=key).update(
            status=Import.Status.FAILED,
            said="Something in it was entered by somebody else in the same moment. Nothing was taken: read the list again.",
        )


@app.task(name="bring_fleet", queue="reports")
def bring_fleet(key: str) -> None:
    """Take a fleet's whole data, all or nothing; again, it does nothing more."""
    made = Import.objects.select_related("by").get(pk=key)
    place = f"imports/{made.pk}.zip"
    if made.status != Import.Status.WAITING or not may_manage(made.by):
        return
    try:
        with default_storage.open(place) as file:
            made.said = bring_whole(file, made.by)
        made.status = Import.Status.DONE
    except BringError as error:
        made.status, made.said = Import.Status.FAILED, str(error)[:300]
    made.save(update_fields=["status", "said"])
    default_storage.delete(place)


@app.task(name="make_export", queue="reports")
def make_export(key: str) -> None:
    """Write a fleet's whole data into one file; for somebody who may no longer see it nothing is written."""
    made = Export.objects.select_related("fleet", "by").get(pk=key)
    if made.status != Export.Status.WAITING or not may_see_fleet(made.by, made.fleet_id):
        return
    place = f"exports/{made.pk}.zip"
    with tempfile.TemporaryFile() as written:
        write_whole(made.fleet, made.by, written)
        if not default_storage.exists(place):
            default_storage.save(place, File(written))
    Export.objects.filter(pk=key).update(status=Export.Status.DONE, file=place)
