"""A fleet's whole data as one ZIP of open formats: CSV, JSON, job files, photos, and a manifest of them all with their digests."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Iterable, Iterator
from typing import IO, Any

from django.utils import timezone

from rectaxis.exchange.records import notes_of, people_in, record_of
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.record.models import CLOSED
from rectaxis.record.pictures import stored_picture
from rectaxis.reports.content import Report
from rectaxis.reports.find import report_of
from rectaxis.reports.sheets import harmless

FORMAT, VERSION = "rectaxis-fleet", 1
_DAY = (2000, 1, 1, 0, 0, 0)


def write_whole(fleet: Fleet, reader: User, written: IO[bytes]) -> int:
    """Write everything of a fleet; answers with how many files are in it. The manifest comes last, and names each with its SHA-256."""
    manifest: dict[str, str] = {}
    with zipfile.ZipFile(written, "w", zipfile.ZIP_DEFLATED) as folder:
        for name, content in _files(fleet, reader):
            if name in manifest:
                continue  # a photo of two reports
            folder.writestr(zipfile.ZipInfo(name, _DAY), content, zipfile.ZIP_DEFLATED)
            manifest[name] = hashlib.sha256(content).hexdigest()
        about = {
            "format": FORMAT, "version": VERSION, "fleet": fleet.name, "made_at": timezone.now().isoformat(timespec="seconds"), "files": manifest,
        }  # fmt: skip
        folder.writestr(zipfile.ZipInfo("manifest.json", _DAY), json.dumps(about, indent=1), zipfile.ZIP_DEFLATED)
    return len(manifest)


def _files(fleet: Fleet, reader: User) -> Iterator[tuple[str, bytes]]:
    vehicles = list(fleet.vehicles.select_related("fleet"))
    yield "fleet.json", _json({"id": str(fleet.pk), "name": fleet.name, "yard": fleet.yard})
    heads = ("id", "unit", "registration", "vin", "make", "model", "year", "yard")
    yield "vehicles.csv", _csv(heads, ([getattr(one, head) for head in heads] for one in vehicles))
    yield "vehicles.json", _json({str(one.pk): one.layout for one in vehicles})
    yield (
        "contacts.csv",
        _csv(("name", "email", "wants", "former"), fleet.contacts.values_list("name", "email", "wants", "former")),
    )
    notes = (
        (one.vehicle.unit, one.day, one.odometer, one.kind, one.what, one.axle, one.renewed, one.picture)
        for vehicle in vehicles for one in vehicle.happenings.filter(taken_back=False).select_related("vehicle")
    )  # fmt: skip
    yield "notes.csv", _csv(("unit", "day", "odometer_km", "kind", "what", "axle", "renewed", "photo"), notes)
    kept = notes_of(one for vehicle in vehicles for one in vehicle.happenings.filter(taken_back=False))
    yield "notes.json", _json(kept)
    people = people_in(kept)
    visits: list[tuple[Any, ...]] = []
    for vehicle in vehicles:
        for job in (
            vehicle.jobs.filter(status__in=CLOSED).select_related("vehicle__fleet", "technician").order_by("planned_at")
        ):
            report = report_of(job, reader)
            if report is not None:
                name = f"{report.file_name}-{str(job.pk)[-12:]}"
                visits.append((vehicle.unit, job.planned_at.date(), job.status, report.statement.number, name))
                yield from _of_report(report, name)
                record = record_of(job)
                people |= people_in(record)
                yield f"records/{name}.json", _json(record)
        for one in vehicle.happenings.filter(taken_back=False).exclude(picture=""):
            yield from _photo(one.picture)
    yield "visits.csv", _csv(("unit", "day", "status", "report", "files"), visits)
    named = User.objects.filter(pk__in=people).values_list("pk", "first_name", "last_name")
    yield (
        "people.json",
        _json({str(key): {"key": f"{fleet.pk}-{key}", "first": first, "last": last} for key, first, last in named}),
    )


def _of_report(report: Report, name: str) -> Iterator[tuple[str, bytes]]:
    """What the report says, the job file with its readings, and its photos."""
    yield f"reports/{name}.json", _json(report.statement.as_json())
    yield f"job-files/{name}.json", _json(report.job_file())
    for photo in report.statement.photos:
        yield from _photo(photo.digest)


def _photo(digest: str) -> Iterator[tuple[str, bytes]]:
    content = stored_picture(digest)
    if content is not None:
        yield f"photos/{digest}.jpg", content


def _json(data: object) -> bytes:
    return json.dumps(data, indent=1, default=str).encode()


def _csv(heads: Iterable[str], rows: Iterable[Iterable[object]]) -> bytes:
    made = io.StringIO()
    writer = csv.writer(made)
    writer.writerow(heads)
    writer.writerows([harmless(cell) for cell in row] for row in rows)
    return made.getvalue().encode("utf-8-sig")
