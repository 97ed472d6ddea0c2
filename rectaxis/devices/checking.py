"""The page on which a kit checks itself: what to lay where, what its devices say there, and what that tells."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from alignment.live.measures import UNITS
from alignment.live.self_check import checks_of
from alignment.speech import side_name
from rectaxis.devices.actions.check_itself import (
    SelfCheckError,
    begin_self_check,
    check_under_way,
    drop_self_check,
    step_of,
    take_pose,
)
from rectaxis.devices.models import Device, SelfCheck
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request


@dataclass(frozen=True)
class Line:
    """What a check told of one thing measured, in words."""

    title: str
    where: str
    off: str
    limit: str
    good: bool


def lines_of(run: SelfCheck | None) -> list[Line]:
    """What a run has told so far."""
    return [] if run is None else [_line(one) for one in run.results]


def _line(one: dict[str, Any]) -> Line:
    _, axle, side, *_ = one["key"].split("/")
    unit = "°" if one["unit"] == "deg" else f" {one['unit']}"
    where = f"{side_name(side)}, axle {axle}"
    return Line(one["title"], where, f"{round(one['off'], 3) + 0.0:+.3f}{unit}", f"{one['limit']:g}{unit}", one["good"])


@require_http_methods(["GET", "POST"])
def check(request: Request, pk: UUID) -> HttpResponse:
    """Check a kit by one of its devices."""
    demand(allowed=may_work(request.user))
    device = get_object_or_404(Device.objects.select_related("kit"), pk=pk, unpaired=False)
    if request.method == "POST":
        return _do(request, device)
    run = check_under_way(device)
    context: dict[str, Any] = {
        "device": device, "kit": device.kit, "run": run, "checks": checks_of(device.kit.code), "lines": lines_of(run),
        "units": json.dumps(UNITS),
    }  # fmt: skip
    if run is not None:
        step, pose = step_of(run)
        context |= {"step": step, "pose": step.poses[pose], "number": len(run.taken)}
    else:
        last = device.self_checks.exclude(ended_at=None).select_related("by").last()
        context |= {"last": last, "last_lines": lines_of(last)}
    return render(request, "devices/self_check.html", context)


def _do(request: Request, device: Device) -> HttpResponse:
    do, run = request.POST.get("do", ""), check_under_way(device)
    try:
        if do == "begin":
            begin_self_check(request.user, device)
        elif run is not None and do == "take":
            take_pose(request.user, run, request.POST.get("number", ""), request.POST.get("values", ""))
        elif run is not None and do == "drop":
            drop_self_check(request.user, run)
            messages.success(request, "That self-check is dropped; nothing of it counts.")
    except SelfCheckError as error:
        messages.error(request, str(error))
    return redirect("devices:check", pk=device.pk)
