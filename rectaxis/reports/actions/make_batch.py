"""Ask for many reports as one file, and cancel that."""

from __future__ import annotations

from django.db import transaction
from procrastinate.contrib.django import app

from rectaxis.common.locks import locking
from rectaxis.people.access import demand
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.reports.models import Batch
from rectaxis.reports.search import Wanted, found_reports

MOST_REPORTS = 2000


class BatchError(RecordError):
    """A batch that cannot be made; the text says why."""


@transaction.atomic
def make_batch(person: User, wanted: Wanted, form: str) -> Batch:
    """The reports found, as one file, made in the background. **Raises** PermissionDenied, BatchError."""
    demand(allowed=bool(person.is_active))
    keys = [str(key) for key in found_reports(person, wanted).values_list("pk", flat=True)[: MOST_REPORTS + 1]]
    if form not in Batch.Form.values:
        raise BatchError("Choose a ZIP or one PDF.")
    if not keys:
        raise BatchError("No report was found: choose otherwise.")
    if len(keys) > MOST_REPORTS:
        raise BatchError(f"At most {MOST_REPORTS} reports fit into one file: choose fewer days, or a fleet.")
    batch = Batch.objects.create(by=person, name=wanted.said[:120], form=form, jobs=keys)
    queue_batch(batch)
    return batch


def queue_batch(batch: Batch) -> None:
    """Let the worker make it, or go on with it."""
    app.configure_task("make_batch").defer(batch=str(batch.pk))


@transaction.atomic
def cancel_batch(person: User, batch: Batch) -> Batch:
    """Stop making it; what was made of it is kept with the reports. **Raises** PermissionDenied, BatchError."""
    demand(allowed=batch.by_id == person.pk and bool(person.is_active))
    batch = locking(Batch).get(pk=batch.pk)
    if not batch.under_way:
        raise BatchError(f"It is {batch.get_status_display()}.")
    batch.status = Batch.Status.CANCELLED
    batch.save(update_fields=["status", "changed_at"])
    return batch
