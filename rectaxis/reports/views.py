"""The report as a page, a PDF and a job file; a fleet's page, which lists them."""

import json
from collections.abc import Callable
from uuid import UUID

from django.contrib.auth.decorators import login_not_required
from django.db.models import Max, Q
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET
from django_tables2 import RequestConfig, Table

from rectaxis.business.models import the_business
from rectaxis.common.fields import number, without_nul
from rectaxis.fleets.models import Fleet
from rectaxis.people.access import demand, may_see_fleet, may_work
from rectaxis.people.requests import Request
from rectaxis.record.models import CLOSED, Job
from rectaxis.record.pictures import stored_picture
from rectaxis.reports.content import Report
from rectaxis.reports.find import report_of
from rectaxis.reports.genuine import find_genuine
from rectaxis.reports.letter import docx_of
from rectaxis.reports.printing import printed
from rectaxis.reports.sheets import csv_of, xlsx_of
from rectaxis.reports.tables import A_PAGE, FleetTable, ReportTable, VehicleTable, WorkedVehicleTable


def _report(request: Request, pk: UUID) -> Report:
    """The report, if it is open to the person: a fleet viewer sees the closed jobs of their own fleet."""
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet", "technician"), pk=pk)
    demand(allowed=may_see_fleet(request.user, job.vehicle.fleet_id) and (job.closed or may_work(request.user)))
    version = request.GET.get("version")
    report = report_of(job, request.user, None if version is None else number(version))
    if report is None:
        raise Http404
    return report


def _named(response: HttpResponse, report: Report, ending: str) -> HttpResponse:
    response["Content-Disposition"] = f'attachment; filename="{report.file_name}.{ending}"'
    return response


@require_GET
def page(request: Request, pk: UUID) -> HttpResponse:
    """The report as a page."""
    return render(request, "reports/page.html", {"report": _report(request, pk)})


@login_not_required
@require_GET
def genuine(request: HttpRequest, fingerprint: str = "") -> HttpResponse:
    """Whether a fingerprint is that of a report from here, and of its latest version: open to anybody who has the report."""
    asked = fingerprint or without_nul(request.GET.get("fingerprint", ""))
    found = find_genuine(asked)
    context = {"asked": asked, "found": found, "business": the_business().name}
    return render(request, "reports/genuine.html", context, status=404 if asked and found is None else 200)


@require_GET
def logo(request: Request, pk: UUID) -> HttpResponse:
    """The logo at the head of the report, as it was when it was sealed."""
    sender = _report(request, pk).statement.sender
    picture = stored_picture(sender.logo) if sender is not None else None
    if picture is None:
        raise Http404
    return HttpResponse(picture, content_type="image/jpeg")


@require_GET
def pdf(request: Request, pk: UUID) -> HttpResponse:
    """The report as a PDF."""
    return printed(request, _report(request, pk), reverse("reports:page", args=[pk]))


@require_GET
def job_file(request: Request, pk: UUID) -> HttpResponse:
    """The job file of the sealed phases."""
    report = _report(request, pk)
    text = json.dumps(report.job_file(), indent=2)
    return _named(HttpResponse(text, content_type="application/json"), report, "json")


FORMATS: dict[str, tuple[str, Callable[[Report], bytes]]] = {
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", xlsx_of),
    "docx": ("application/vnd.openxmlformats-officedocument.wordprocessingml.document", docx_of),
    "csv": ("text/csv; charset=utf-8", csv_of),
}
"""What a report is written as besides a page, a PDF and a job file: its kind, and how it is made."""


@require_GET
def written(request: Request, pk: UUID, ending: str) -> HttpResponse:
    """The report as a workbook, a document or CSV."""
    kind, made = FORMATS[ending]
    report = _report(request, pk)
    return _named(HttpResponse(made(report), content_type=kind), report, ending)


@require_GET
def fleet(request: Request, pk: UUID) -> HttpResponse:
    """A fleet's vehicles and its reports, newest first."""
    demand(allowed=may_see_fleet(request.user, pk))
    fleet = get_object_or_404(Fleet, pk=pk)
    works_here = may_work(request.user)
    done = Job.objects.filter(vehicle__fleet=fleet, status__in=CLOSED).select_related("vehicle")
    vehicles = fleet.vehicles.annotate(last_visit=Max("jobs__planned_at", filter=Q(jobs__status__in=CLOSED)))
    context = {
        "fleet": fleet,
        "vehicles": _paged(request, (WorkedVehicleTable if works_here else VehicleTable)(vehicles)),
        "reports": _paged(request, ReportTable(done)),
        "works_here": works_here,
    }
    return render(request, "reports/fleet.html", context)


@require_GET
def fleets(request: Request) -> HttpResponse:
    """All fleets."""
    demand(allowed=may_work(request.user))
    return render(request, "reports/fleets.html", {"fleets": _paged(request, FleetTable(Fleet.objects.all()))})


def _paged(request: Request, table: Table) -> Table:
    """The table as the address orders and pages it; an odd page is the nearest there is, and an odd order none."""
    sort = table.prefixed_order_by_field
    if any("." in one for one in request.GET.getlist(sort)):  # which the library takes for a path, as it did once
        asked = request.GET.copy()
        asked.pop(sort)
        request.GET = asked  # type: ignore[assignment] # a copy that may be changed, which nobody does
    RequestConfig(request, paginate={"per_page": A_PAGE, "silent": True}).configure(table)
    return table
