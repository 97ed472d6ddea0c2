"""The page on which a device's cameras are calibrated: what was seen of a target held about, and what to hold next."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

import cv2
import numpy as np
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from alignment.camera.calibration import cells_of
from alignment.camera.held import BOTH_WANTED, CELLS, FEWEST, WANTED, Seen, next_words, seen_in
from rectaxis.devices.actions.calibrate_cameras import (
    CalibrationError,
    begin_calibration,
    drop_calibration,
    leave_out_held,
    take_held,
    under_way,
    use_calibration,
)
from rectaxis.devices.models import Calibration, Device, HeldShot
from rectaxis.people.access import demand, may_work
from rectaxis.people.requests import Request


@dataclass(frozen=True)
class Field:
    """What one camera has seen: its picture's size, the outline of each target that it saw as SVG points, in how many pictures,
    and which of the nine parts of its picture nothing was in, as corners in pixels.
    """

    camera: str
    wide: int
    high: int
    outlines: Sequence[str]
    seen: int
    empty: Sequence[tuple[float, float]]
    said: str
    good: bool

    @property
    def cell(self) -> tuple[float, float]:
        """How wide and high a part of its picture is."""
        return self.wide / CELLS, self.high / CELLS

    @property
    def filled(self) -> int:
        """How much of what is wanted there is, percent."""
        return min(100, round(100 * self.seen / WANTED))


@dataclass(frozen=True)
class Shown:
    """One shot in the list: its number, and what each camera saw in it."""

    shot: HeldShot
    number: int
    said: str


def fields_of(calibration: Calibration, shots: Sequence[HeldShot], seen: Seen) -> list[Field]:
    """What each camera has seen, and what its certificate is good for as far as it goes."""
    verdicts = {one["camera"]: one for one in (calibration.results or {}).get("verdicts", ())}
    found = []
    for camera in calibration.rig["cameras"]:
        name, (wide, high) = camera["id"], camera["size"]
        dots = [
            np.array(one["pixels"], dtype=float)
            for shot in shots
            for one in shot.found.get(name, {}).values()
            if "missed" not in one
        ]
        cells = set[tuple[int, int]]().union(*(cells_of(one, (wide, high)) for one in dots))
        verdict = verdicts.get(name, {"message": "", "good": False})
        found.append(
            Field(
                name, wide, high, [_outline(one) for one in dots], seen.by_camera[name],
                [(x * wide / CELLS, y * high / CELLS) for y in range(CELLS) for x in range(CELLS) if (x, y) not in cells],
                verdict["message"], verdict["good"],
            )
        )  # fmt: skip
    return found


def _outline(dots: np.ndarray[Any, Any]) -> str:
    """The outline of a target's dots, as SVG points."""
    return " ".join(f"{x:.0f},{y:.0f}" for [[x, y]] in cv2.convexHull(dots.astype(np.float32)).tolist())


@require_http_methods(["GET", "POST"])
def calibrate(request: Request, pk: UUID) -> HttpResponse:
    """Calibrate the cameras of a device."""
    demand(allowed=may_work(request.user))
    device = get_object_or_404(Device.objects.select_related("kit"), pk=pk, unpaired=False, identity__has_key="rig")
    if request.method == "POST":
        return _do(request, device)
    calibration = under_way(device)
    context: dict[str, Any] = {"device": device, "kit": device.kit, "calibration": calibration}
    if calibration is not None:
        shots = calibration.counting
        seen = seen_in(calibration.rig, [{"found": shot.found} for shot in shots])
        context |= {
            "fields": fields_of(calibration, shots, seen), "next": next_words(seen, calibration.results),
            "waiting": any(shot.wanted for shot in shots), "both": seen.together, "both_wanted": BOTH_WANTED,
            "shots": [_shown(number, shot) for number, shot in reversed(list(enumerate(shots, start=1)))],
            "several": len(seen.by_camera) > 1, "faults": _faults(calibration, seen),
        }  # fmt: skip
    return render(request, "devices/calibrate.html", context)


def _faults(calibration: Calibration, seen: Seen) -> list[str]:
    """Why nothing is told yet, once each camera has seen enough: before that the next picture is what to look at."""
    return [] if min(seen.by_camera.values()) < FEWEST else calibration.fault.splitlines()


def _shown(number: int, shot: HeldShot) -> Shown:
    if shot.wanted:
        return Shown(shot, number, "its pictures are on their way")
    said = []
    for camera, found in shot.found.items():
        dots = [len(one["numbers"]) for one in found.values() if "missed" not in one]
        said.append(f"camera {camera}: {max(dots)} dots" if dots else f"camera {camera}: no target seen")
    said += [f"the picture of camera {camera} {why}" for camera, why in shot.faults.items()]
    return Shown(shot, number, "; ".join(said))


def _do(request: Request, device: Device) -> HttpResponse:
    do, current = request.POST.get("do", ""), under_way(device)
    acts: dict[str, tuple[Callable[[Calibration], object], str]] = {
        "take": (lambda one: take_held(request.user, one), ""),
        "leave-out": (lambda one: leave_out_held(request.user, one, request.POST.get("shot", "")), ""),
        "drop": (lambda one: drop_calibration(request.user, one), "That calibration is dropped. The cameras stay as they were."),
        "use": (lambda one: use_calibration(request.user, one), "Pictures are measured by this calibration from now on."),
    }  # fmt: skip
    act, words = acts.get(do, (lambda _: None, ""))
    try:
        if do == "begin":
            begin_calibration(request.user, device)
        elif current is None:
            messages.error(request, "No calibration is under way: begin one.")
        else:
            act(current)
            if words:
                messages.success(request, words)
    except CalibrationError as error:
        messages.error(request, str(error))
    return redirect("devices:calibrate", pk=device.pk)
