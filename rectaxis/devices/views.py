"""The devices of a kit: pairing, what each says now, and what may be asked of it."""

from __future__ import annotations

import json
from uuid import UUID

from asgiref.sync import async_to_sync, sync_to_async
from django import forms
from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from alignment.live.measures import UNITS
from alignment.live.self_check import checks_of
from rectaxis.common.fields import number, without_nul
from rectaxis.devices.actions.pair_device import ASKS, PairingError, ask_device, pair_device, part_with_device
from rectaxis.devices.discovery import Announced, announced
from rectaxis.devices.feed import ACCESSORIES
from rectaxis.devices.models import Device
from rectaxis.devices.stream import said, stream
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.people.requests import Request


class PairForm(forms.Form):
    """Where a device is, and the token that it shows."""

    address = forms.CharField(label="Its address, as the device shows it", max_length=200)
    token = forms.CharField(label="Its token, on its label or its screen", max_length=200)


def _asks(device: Device) -> list[tuple[str, str]]:
    """What a person may ask of a device, each with its words: to blink of any, the rest of what it can do."""
    kind = device.identity.get("kind")
    if kind in ACCESSORIES:
        wanted = {"identify", "reset_sensor"} if kind == "sensor_reset" else {"identify"}
    else:
        wanted = {"identify"} if "rig" in device.identity else {"identify", "zero", "seen"}
    return [(do, words) for do, words in ASKS.items() if do in wanted]


def kit(request: Request, pk: UUID) -> HttpResponse:
    """A kit's devices, and pairing one more."""
    demand(allowed=may_work(request.user))
    found = get_object_or_404(Kit, pk=pk)
    typed = {name: without_nul(request.POST.get(name, "")) for name in PairForm.base_fields}
    given = {"address": without_nul(request.GET.get("address", ""))}
    form = PairForm(typed if request.method == "POST" else None, initial=given)
    if request.method == "POST" and form.is_valid():
        try:
            made = pair_device(request.user, found, **form.cleaned_data)
        except PairingError as error:
            form.add_error(error.field, str(error))
        else:
            messages.success(request, f"{made.name}, {made.serial}, is paired with {found.name}.")
            return redirect("devices:kit", pk=pk)
    devices = [
        (one, [said(trouble)["text"] for trouble in one.trouble], _asks(one))
        for one in found.devices.filter(unpaired=False)
    ]
    context = {
        "kit": found,
        "devices": devices,
        "form": form,
        "accessories": ACCESSORIES,
        "checked_by_device": bool(checks_of(found.code)),
        "units": json.dumps(UNITS),
        "looked": "look" in request.GET,
        "announced": _announced(found) if "look" in request.GET else [],
        "targets": (("a3", "A3"), ("a4", "A4")) if found.code in WITH_TARGETS else (),
    }
    return render(request, "devices/kit.html", context, status=422 if form.errors else 200)


def _announced(kit: Kit) -> list[Announced]:
    """Devices of this kind of kit, and those that go with any, that announce themselves and are not paired here yet."""
    paired = set(kit.devices.filter(unpaired=False).values_list("address", flat=True))
    there = async_to_sync(announced)()
    return [one for one in there if one.address not in paired and one.kit in (kit.code, ANY, "")]


def _of(pk: UUID) -> Device:
    return get_object_or_404(Device.objects.select_related("kit"), pk=pk, unpaired=False)


_LONGEST_KEY = 36


@require_POST
def ask(request: Request, pk: UUID) -> HttpResponse:
    """Ask something of a device; what came of it is seen on the page."""
    demand(allowed=may_work(request.user))
    device, do = _of(pk), request.POST.get("do", "")
    try:
        ask_device(request.user, device, do, request.POST.get("visit", "")[:_LONGEST_KEY])
    except ValueError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{device.name} is asked to {ASKS[do]}.")
    back = request.POST.get("back", "")
    return HttpResponseRedirect(back if back.startswith("/jobs/") else reverse("devices:kit", args=[device.kit_id]))


@require_POST
def part(request: Request, pk: UUID) -> HttpResponse:
    """Part with a device."""
    demand(allowed=may_work(request.user))
    device = _of(pk)
    part_with_device(request.user, device)
    messages.success(request, f"{device.name} is no longer paired with {device.kit.name}.")
    return redirect("devices:kit", pk=device.kit_id)


@require_GET
def targets(request: Request, pk: UUID, paper: str) -> HttpResponse:
    """The targets of a kit of cameras, to print at true size."""
    from alignment.camera.sheets import PAPERS, pdf

    demand(allowed=may_work(request.user))
    get_object_or_404(Kit, pk=pk, code__in=WITH_TARGETS)
    axles = number(request.GET.get("axles", "")) or _USUAL_AXLES
    if paper not in PAPERS or not 1 <= axles <= _MOST_AXLES:
        raise Http404
    answer = HttpResponse(pdf(axles, PAPERS[paper]), content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="targets-{paper}-{axles}-axles.pdf"'
    return answer


WITH_TARGETS = ("target_cameras", "target_cameras_posts")
ANY = "any"
"""What a device that goes with any kit names as its kit."""
_USUAL_AXLES, _MOST_AXLES = 2, 5


@require_GET
async def feed(request: HttpRequest, pk: UUID) -> HttpResponseBase:
    """What a kit's devices say, as it comes."""
    user = await request.auser()
    await sync_to_async(_demand_work)(user)
    devices = [str(one) async for one in Device.objects.filter(kit=pk, unpaired=False).values_list("pk", flat=True)]
    return stream(devices, lambda key: (key,))


def _demand_work(user: object) -> None:
    demand(allowed=isinstance(user, User) and may_work(user))
