"""Links to one report: who has them, and what they show."""

from __future__ import annotations

from uuid import UUID

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import number
from rectaxis.people.access import demand, may_see_fleet
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.pictures import stored_picture
from rectaxis.reports.actions.share_report import DAYS, count_opened, find_link, revoke_link, share_report
from rectaxis.reports.content import Report
from rectaxis.reports.find import ANYBODY, report_of
from rectaxis.reports.models import Link
from rectaxis.reports.printing import printed


def links(request: Request, pk: UUID) -> HttpResponse:
    """The links to a report, and one more."""
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet"), pk=pk)
    demand(allowed=may_see_fleet(request.user, job.vehicle.fleet_id) and job.closed)
    made = ""
    if request.method == "POST":
        try:
            _, secret = share_report(request.user, job, number(request.POST.get("days", "")))
            made = f"{settings.SITE}{reverse('reports:shared', args=[secret])}"
        except RecordError as error:
            messages.error(request, str(error))
    context = {"job": job, "links": job.links.select_related("by"), "days": DAYS, "made": made}
    return render(request, "reports/links.html", context)


@require_POST
def revoke(request: Request, pk: UUID) -> HttpResponse:
    """Revoke a link."""
    link = revoke_link(request.user, get_object_or_404(Link.objects.select_related("job__vehicle"), pk=pk))
    messages.success(request, "The link shows nothing any more.")
    return redirect("reports:links", pk=link.job_id)


def _shared(secret: str) -> tuple[Link, Report]:
    link = find_link(secret)
    report = report_of(link.job, ANYBODY) if link is not None else None
    if link is None or report is None:
        raise Http404
    return link, report


def _kept_nowhere(answer: HttpResponse) -> HttpResponse:
    answer["Cache-Control"], answer["X-Robots-Tag"] = "no-store", "noindex"
    return answer


@login_not_required
@require_GET
def shared(request: HttpRequest, secret: str) -> HttpResponse:
    """The report that a link shows."""
    link, report = _shared(secret)
    count_opened(link)
    return _kept_nowhere(render(request, "reports/shared.html", {"report": report, "secret": secret, "link": link}))


@login_not_required
@require_GET
def shared_pdf(request: HttpRequest, secret: str) -> HttpResponse:
    """The same as a PDF."""
    _, report = _shared(secret)
    return _kept_nowhere(printed(request, report, reverse("reports:shared", args=[secret])))


@login_not_required
@require_GET
def shared_picture(request: HttpRequest, secret: str, digest: str) -> HttpResponse:  # noqa: ARG001 - as every view
    """A photo of that report, or its logo, and no other."""
    _, report = _shared(secret)
    said = report.statement
    own = {photo.digest for photo in said.photos} | ({said.sender.logo} if said.sender else set())
    picture = stored_picture(digest) if digest and digest in own else None
    if picture is None:
        raise Http404
    return _kept_nowhere(HttpResponse(picture, content_type="image/jpeg"))
