"""Whether a visit that is brought can be shown: what its pages will ask of it is asked while it can still be refused."""

from __future__ import annotations

from collections.abc import Iterator

from django.utils import timezone

from alignment.jobfile import parse
from alignment.procedure.station import LookedAt
from rectaxis.exchange.records import RecordsError
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.record.snapshot import Snapshot
from rectaxis.reports.content import Report
from rectaxis.reports.find import ANYBODY, report_of
from rectaxis.reports.parts import parts
from rectaxis.visit.visit import Visit


def check_can_be_shown(job: Job) -> None:
    """**Raises** RecordsError for a visit of which each part can be read, but which its pages could not show."""
    try:
        for _ in _all_that_is_shown(job):
            pass
    except Exception as error:
        # Whatever it is: it would come of the visit's pages, every time. Errors of ours are sentences; others are named.
        why = str(error) if isinstance(error, ValueError) else repr(error)
        raise RecordsError(
            f"the visit to {job.vehicle.unit} of {timezone.localdate(job.planned_at)} cannot be shown: {why}"
        ) from error


def _all_that_is_shown(job: Job) -> Iterator[object]:
    yield from _of_kit(Snapshot.of(job))
    yield from _of_stages(Visit(job))
    report = report_of(job, ANYBODY)
    if report is not None:
        yield from _of_report(report)


def _of_kit(snapshot: Snapshot) -> Iterator[object]:
    """Its stations, which with their scales at rest make a job file that the core takes."""
    for station in snapshot.rig.stations:
        if not station.least < station.most:
            raise ValueError(
                f"{station.slot}: expected a scale that ends above {station.least:g}, got {station.most:g}"
            )
        yield station.set_up_numbers()
        yield station.u_of(LookedAt())
        yield [station.sides(path) for path in station.fields]
    yield parse(snapshot.job_file([dict(station.blank().data) for station in snapshot.rig.stations]))


def _of_stages(visit: Visit) -> Iterator[object]:
    for phase in (Phase.BEFORE, Phase.SET, Phase.AFTER):
        yield visit.results(phase)
    yield from (visit.moves_said(), visit.fastened, visit.about, visit.changed_paths())
    yield visit.confirming.offered(0, sweep=False)


def _of_report(report: Report) -> Iterator[object]:
    yield from (report.plans, report.front.changed, report.every_angle)
    for part in parts(report):
        if any(len(row) != len(part.heads) for row in part.rows):
            raise ValueError(f"{part.title}: expected {len(part.heads)} values in each row")
        yield part
