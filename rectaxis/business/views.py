"""The business's settings, and its logo."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from rectaxis.business import wellness
from rectaxis.business.actions.change_business import change_business
from rectaxis.business.forms import BusinessForm
from rectaxis.business.metrics import may_read, metrics
from rectaxis.business.models import the_business
from rectaxis.people.access import demand, may_manage
from rectaxis.people.requests import Request
from rectaxis.record.pictures import PictureError, stored_picture


def business(request: Request) -> HttpResponse:
    """What the business says of itself."""
    demand(allowed=may_manage(request.user))
    form = BusinessForm(request.POST or None, request.FILES or None, instance=the_business())
    if request.method == "POST" and form.is_valid():
        words = {name: form.cleaned_data[name] for name in BusinessForm.Meta.fields}
        file = form.cleaned_data["logo_file"]
        try:
            change_business(
                request.user, file.read() if file else None, without_logo=form.cleaned_data["without_logo"], **words
            )
        except PictureError as error:
            form.add_error("logo_file", str(error))
        else:
            messages.success(request, "The business is changed. Reports that are sealed keep what they say.")
            return redirect("business:business")
    context = {"form": form, "business": the_business()}
    return render(request, "business/business.html", context, status=422 if form.errors else 200)


@require_GET
def state(request: Request) -> HttpResponse:
    """How the program is."""
    demand(allowed=may_manage(request.user))
    now = timezone.now()
    return render(
        request, "business/state.html", {"lines": wellness.lines(now), "failed": wellness.failed(), "now": now}
    )


@require_GET
def logo(request: Request) -> HttpResponse:
    """The logo, as it is now. Reports that are sealed show the one of then."""
    demand(allowed=may_manage(request.user))
    picture = stored_picture(the_business().logo)
    if picture is None:
        raise Http404
    return HttpResponse(picture, content_type="image/jpeg")


@login_not_required
@require_GET
def counted(request: HttpRequest) -> HttpResponse:
    """How the program is, in numbers, for who shows the token that is set for it; to anybody else there is nothing here."""
    if not may_read(request.headers.get("Authorization", "")):
        raise Http404
    answer = HttpResponse(metrics(), content_type="text/plain; version=0.0.4; charset=utf-8")
    answer["Cache-Control"] = "no-store"
    return answer
