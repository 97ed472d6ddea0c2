"""The record of a job besides its readings: photos, marks, pausing and ending, corrections, and its history."""

from __future__ import annotations

from uuid import UUID

from django.conf import settings
from django.contrib import messages
from django.core.files.storage import default_storage
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import without_nul
from rectaxis.people.access import demand, may_measure, may_see_fleet, may_work
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job, Mark, Photo, Taught
from rectaxis.record.pictures import MOST_BYTES
from rectaxis.record.slot import DAMAGE
from rectaxis.stages.arrive import marks_of, outline_of, places
from rectaxis.stages.history import correctable, history_of
from rectaxis.stages.learned import learned_rows
from rectaxis.stages.signatures import signatures_shown
from rectaxis.stages.views.common import job_of
from rectaxis.visit.actions.add_photo import add_photo, set_photo_aside
from rectaxis.visit.actions.correct_reading import correct_reading
from rectaxis.visit.actions.hold_job import hold_job
from rectaxis.visit.actions.mark_damage import mark_damage, set_mark_aside
from rectaxis.visit.actions.sign_report import sign_report
from rectaxis.visit.actions.throw_away_learned import throw_away_learned
from rectaxis.visit.visit import Visit


@require_POST
def photos(request: Request, pk: UUID) -> HttpResponse:
    """Take one photo in; answers with where it can be seen, or 422 with the reason."""
    job = get_object_or_404(Job, pk=pk)
    demand(allowed=may_measure(request.user))
    file = request.FILES.get("photo")
    if file is None:
        return JsonResponse({"text": "No photo came with this; choose it again."}, status=422)
    try:
        # One byte more than fits is enough to know, and is all that is read.
        raw = file.read(MOST_BYTES + 1)
        photo = add_photo(request.user, job, request.POST.get("slot", ""), without_nul(file.name or "photo"), raw)
    except RecordError as error:
        return JsonResponse({"text": str(error)}, status=422)
    return JsonResponse({"text": "saved", "id": str(photo.pk)})


@require_GET
def photo_list(request: Request, pk: UUID) -> HttpResponse:
    """The photos of one place, as a part of a page."""
    visit, slot = Visit(job_of(request, pk)), request.GET.get("slot", "")
    context = {"job": visit.job, "photos": visit.journal.photos.get(slot, []), "slot": slot,
               "may_type": may_measure(request.user) and not visit.job.closed}  # fmt: skip
    return render(request, "stages/parts/photos.html", context)


@require_GET
def photo(request: Request, pk: UUID, photo: UUID) -> HttpResponse:
    """A picture. A fleet viewer sees those of their own fleet's jobs that are closed."""
    found = get_object_or_404(Photo.objects.select_related("job__vehicle"), pk=photo, job_id=pk)
    open_to_fleet = found.job.closed and not found.removed
    demand(
        allowed=may_work(request.user) or (open_to_fleet and may_see_fleet(request.user, found.job.vehicle.fleet_id))
    )
    try:
        with default_storage.open(found.path) as file:
            answer = HttpResponse(file.read(), content_type="image/jpeg")
    except FileNotFoundError:
        raise Http404 from None
    # Its address names its content, which never changes.
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@require_POST
def photo_aside(request: Request, pk: UUID, photo: UUID) -> HttpResponse:
    """Take a photo out of the report, or put it back."""
    found = get_object_or_404(Photo.objects.select_related("job"), pk=photo, job_id=pk)
    try:
        set_photo_aside(request.user, found, removed=request.POST.get("back") != "1")
    except RecordError as error:
        return HttpResponse(str(error), status=422)
    visit = Visit(found.job)
    context = {"job": found.job, "photos": visit.journal.photos.get(found.slot, []), "slot": found.slot, "may_type": True,
               "aside": found if found.removed else None}  # fmt: skip
    return render(request, "stages/parts/photos.html", context)


@require_POST
def signature(request: Request, pk: UUID) -> HttpResponse:
    """Sign what the report says now; answers with the signatures."""
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet", "technician"), pk=pk)
    given = {name: without_nul(request.POST.get(name, "")) for name in ("key", "whose", "name", "strokes")}
    fault = ""
    try:
        sign_report(request.user, job, **given)
    except ValueError as error:
        fault = str(error)
    context = signatures_shown(Visit(Job.objects.select_related("technician").get(pk=pk)), request.user, given, fault)
    return render(request, "stages/parts/signatures.html", context, status=422 if fault else 200)


@require_POST
def marks(request: Request, pk: UUID) -> HttpResponse:
    """Mark damage on the outline; answers with the drawing and its list."""
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet"), pk=pk)
    fault = ""
    given = {name: without_nul(request.POST.get(name, "")) for name in ("key", "x", "y", "what")}
    try:
        mark_damage(request.user, job, **given)
    except ValueError as error:
        fault = str(error)
    return _marks(request, job, fault)


@require_POST
def mark_aside(request: Request, pk: UUID, mark: UUID) -> HttpResponse:
    """Take a mark off the drawing, or put it back."""
    found = get_object_or_404(Mark.objects.select_related("job__vehicle__fleet"), pk=mark, job_id=pk)
    fault = ""
    try:
        set_mark_aside(request.user, found, removed=request.POST.get("back") != "1")
    except ValueError as error:
        fault = str(error)
    return _marks(request, found.job, fault, found if found.removed else None)


def _marks(request: Request, job: Job, fault: str, aside: Mark | None = None) -> HttpResponse:
    visit = Visit(job)
    context = {"job": job, "marks": marks_of(visit), "outline": outline_of(visit), "places": places(), "fault": fault,
               "aside": aside, "may_type": may_measure(request.user) and not job.closed, "damage_slot": str(DAMAGE),
               "typed_what": request.POST.get("what", "") if fault else ""}  # fmt: skip
    return render(request, "stages/parts/marks.html", context, status=422 if fault else 200)


@require_POST
def hold(request: Request, pk: UUID, what: str) -> HttpResponse:
    """Pause a job, take it up again, or end it early."""
    try:
        held = hold_job(request.user, get_object_or_404(Job, pk=pk), what, without_nul(request.POST.get("reason", "")))
        messages.success(request, f"This job is {held.get_status_display()}.")
    except RecordError as error:
        messages.error(request, str(error))
        return redirect("stages:history", pk=pk)
    return redirect(settings.LOGIN_REDIRECT_URL) if what == "pause" else redirect("stages:job", pk=pk)


@require_GET
def history(request: Request, pk: UUID) -> HttpResponse:
    """Who did what and when, and what can be done to the job as a whole."""
    return _history(request, Visit(job_of(request, pk)))


@require_POST
def correct(request: Request, pk: UUID) -> HttpResponse:
    """Correct a number of a sealed phase."""
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet", "technician"), pk=pk)
    given = {name: without_nul(request.POST.get(name, "")) for name in ("slot", "typed", "reason")}
    try:
        seal = correct_reading(request.user, job, **given)
    except ValueError as error:
        return _history(request, Visit(job), given | {"fault": str(error)})
    messages.success(request, f"Corrected. The {seal.phase} is sealed anew, revision {seal.revision}; the first stays.")
    return redirect("stages:history", pk=pk)


def _history(request: Request, visit: Visit, given: dict[str, str] | None = None) -> HttpResponse:
    context = {"job": visit.job, "days": history_of(visit), "may_measure": may_measure(request.user),
               "correctable": correctable(visit), "given": given or {"slot": "", "typed": "", "reason": "", "fault": ""}}  # fmt: skip
    return render(request, "stages/history.html", context, status=422 if given else 200)


def _key(text: str) -> UUID:
    try:
        return UUID(text)
    except ValueError:
        raise Http404 from None


def learned(request: Request, pk: UUID) -> HttpResponse:
    """What was learned of the vehicle and its like; throw one away, or count it again."""
    job = job_of(request, pk)
    if request.method == "POST":
        try:
            aside = request.POST.get("aside") != "no"
            throw_away_learned(request.user, job, _key(request.POST.get("taught", "")), aside=aside)
        except Taught.DoesNotExist:
            raise Http404 from None
        except RecordError as error:
            messages.error(request, str(error))
        else:
            messages.success(
                request,
                "Thrown away: plans no longer go by it." if aside else "It counts again, from the next visit on.",
            )
        return redirect("stages:learned", pk=pk)
    may_type = may_measure(request.user) and not job.closed
    return render(request, "stages/learned.html", {"job": job, "rows": learned_rows(job), "may_type": may_type})
