"""The sign: a second screen, in the driver's seat or on the other side of the vehicle, that says what to do. It is opened by a
code that the first screen shows, without signing in, and it changes nothing.
"""

from __future__ import annotations

from uuid import UUID

from asgiref.sync import sync_to_async
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from rectaxis.common.fields import without_nul
from rectaxis.devices.actions.make_sign import make_sign, open_sign
from rectaxis.devices.models import Sign
from rectaxis.devices.stream import stream
from rectaxis.people.requests import Request
from rectaxis.record.models import Job


@require_POST
def make(request: Request, pk: UUID) -> HttpResponse:
    """A code for one more screen."""
    made = make_sign(request.user, get_object_or_404(Job, pk=pk).pk)
    minutes = int(Sign.CODE_HOLDS.total_seconds() // 60)
    return render(
        request, "stages/parts/sign_code.html", {"code": made.code, "host": request.get_host(), "minutes": minutes}
    )


@login_not_required
def enter(request: HttpRequest) -> HttpResponse:
    """Where the code is typed on the second screen."""
    typed = without_nul(request.POST.get("code", ""))
    wrong = ""
    if request.method == "POST":
        found = open_sign(typed)
        if found is not None:
            return redirect("stages:sign", token=found.token)
        wrong = "This code opens nothing: it is mistyped, was used already, or is older than a quarter of an hour. Make a new one."
    return render(request, "stages/enter_sign.html", {"typed": typed, "wrong": wrong}, status=422 if wrong else 200)


@login_not_required
@require_GET
def show(request: HttpRequest, token: str) -> HttpResponse:
    """What to do now, to be read at eight metres."""
    _of(token)
    return render(request, "stages/sign.html", {"token": token})


@login_not_required
@require_GET
async def feed(request: HttpRequest, token: str) -> HttpResponseBase:  # noqa: ARG001 - as every view
    """What is told of the visit, as it comes."""
    found = await sync_to_async(_of)(token)
    return stream((), lambda _: (), {"job": str(found.job)}, asks=False)


def _of(token: str) -> Sign:
    found = Sign.by_token(without_nul(token))
    if found is None:
        raise Http404
    return found
