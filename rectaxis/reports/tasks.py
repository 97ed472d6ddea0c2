"""What the worker does with reports: their PDFs, and many of them as one file."""

from __future__ import annotations

import datetime as dt
import tempfile
import zipfile
from collections.abc import Iterable, Iterator
from typing import Any, BinaryIO

from django.core.files.base import File
from django.core.files.storage import default_storage
from django.dispatch import receiver
from django.utils import timezone
from procrastinate.contrib.django import app

from rectaxis.people.access import may_see_fleet
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.signals import job_closed, report_corrected
from rectaxis.reports.actions.make_batch import queue_batch
from rectaxis.reports.content import Report
from rectaxis.reports.find import ANYBODY, report_of
from rectaxis.reports.joined import join
from rectaxis.reports.models import Batch
from rectaxis.reports.stored import stored_pdf

_STUCK = dt.timedelta(minutes=2)
_DAY = (2000, 1, 1, 0, 0, 0)
"""What files in a ZIP say of when they were made: the same reports are the same ZIP."""


@receiver([job_closed, report_corrected])
def print_soon(job: Job, **_: Any) -> None:
    """Let the worker make the PDF that will be asked for."""
    app.configure_task("make_pdf").defer(job=str(job.pk))


@app.task(name="make_pdf", queue="reports")
def make_pdf(job: str, version: int | None = None, style: str = ANYBODY.angle_style) -> None:
    """Make and keep the PDF of a version of a job's report, or of the latest: in degrees, as most read it, or another style."""
    found = Job.objects.select_related("vehicle__fleet", "technician").filter(pk=job).first()
    report = report_of(found, User(angle_style=style), version) if found is not None else None
    if report is not None:
        stored_pdf(report)


@app.task(name="make_batch", queue="reports")
def make_batch(batch: str) -> None:
    """Make a batch's PDFs that are not there yet, and then its file. Killed, it goes on where it was: each PDF is kept."""
    found = Batch.objects.select_related("by").get(pk=batch)
    if not found.under_way:
        return
    Batch.objects.filter(pk=batch, status=Batch.Status.WAITING).update(status=Batch.Status.MAKING)
    for done, (_, report) in enumerate(_reports(found), start=1):
        stored_pdf(report)
        # One question both tells how far it is and whether it was cancelled.
        still = Batch.objects.filter(pk=batch, status=Batch.Status.MAKING)
        if not still.update(done=done, changed_at=timezone.now()):
            return
    place = f"batches/{found.pk}.{found.form}"
    with tempfile.TemporaryFile() as written:
        (_zip if found.form == Batch.Form.ZIP else _join)(_reports(found), written)
        if not default_storage.exists(place):
            default_storage.save(place, File(written))
    Batch.objects.filter(pk=batch, status=Batch.Status.MAKING).update(status=Batch.Status.DONE, file=place)


def _reports(batch: Batch) -> Iterator[tuple[str, Report]]:
    """Each report with the name of its file, of those that who asked may still see."""
    for key in batch.jobs:
        job = Job.objects.select_related("vehicle__fleet", "technician").filter(pk=key).first()
        may = job is not None and may_see_fleet(batch.by, job.vehicle.fleet_id)
        report = report_of(job, batch.by) if job is not None and may else None
        if report is not None:
            number = f"-{report.statement.number}" if report.statement.number else ""
            yield f"{report.file_name}{number}-{str(key)[-12:]}.pdf", report


def _zip(reports: Iterable[tuple[str, Report]], written: BinaryIO) -> None:
    with zipfile.ZipFile(written, "w", zipfile.ZIP_STORED) as folder:
        for name, report in reports:
            folder.writestr(zipfile.ZipInfo(name, _DAY), stored_pdf(report))


def _join(reports: Iterable[tuple[str, Report]], written: BinaryIO) -> None:
    join(
        ((name.removesuffix(".pdf"), stored_pdf(report)) for name, report in reports),
        "Wheel alignment reports",
        written,
    )


@app.periodic(cron="* * * * *")
@app.task(name="look_after_batches", queue="reports", queueing_lock="look_after_batches")
def look_after_batches(timestamp: int) -> None:  # noqa: ARG001 - the queue says for when it is
    """Go on with what a worker left that ended in the middle."""
    left = Batch.objects.filter(
        status__in=(Batch.Status.WAITING, Batch.Status.MAKING), changed_at__lt=timezone.now() - _STUCK
    )
    for batch in left:
        batch.save(update_fields=["changed_at"])
        queue_batch(batch)
