"""Calibrate a device's cameras by pictures of a target that a person holds about, and use what they tell."""

from __future__ import annotations

import datetime as dt
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from alignment.camera.held import certificates, look_at
from alignment.camera.pictures import PictureError
from alignment.errors import JobFileError
from rectaxis.devices.channel import want
from rectaxis.devices.models import Calibration, Device, HeldShot
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User

MOST_SHOTS = 80
"""Of one calibration that count."""


class CalibrationError(ValueError):
    """Why something is not done, in a sentence."""


def begin_calibration(person: User, device: Device) -> Calibration:
    """Begin anew, or go on with the one that is under way. **Raises** PermissionDenied, CalibrationError."""
    demand(allowed=may_work(person))
    if "rig" not in device.identity:
        raise CalibrationError(f"{device.name} has no cameras that could be calibrated.")
    with transaction.atomic():
        Device.objects.select_for_update().get(pk=device.pk)
        return under_way(device) or Calibration.objects.create(device=device, by=person, rig=device.identity["rig"])


def under_way(device: Device) -> Calibration | None:
    """The calibration that pictures are taken for now."""
    return device.calibrations.filter(used_at=None, dropped=False).last()


def take_held(person: User, calibration: Calibration) -> HeldShot:
    """Ask for a picture of each camera. **Raises** PermissionDenied, CalibrationError."""
    demand(allowed=may_work(person))
    _open(calibration)
    if len(calibration.counting) >= MOST_SHOTS:
        raise CalibrationError(f"A calibration has at most {MOST_SHOTS} shots: leave out those that went wrong.")
    with transaction.atomic():
        shot = HeldShot.objects.create(calibration=calibration)
        want(device=str(calibration.device_id), do="take", shot=str(shot.pk), move="held", visit="")
        return shot


def _open(calibration: Calibration) -> None:
    calibration.refresh_from_db(fields=["used_at", "dropped"])
    if calibration.used_at is not None or calibration.dropped:
        raise CalibrationError("That calibration is closed: begin a new one.")


def leave_out_held(person: User, calibration: Calibration, key: str) -> None:
    """A shot that went wrong counts no more. **Raises** PermissionDenied, CalibrationError."""
    demand(allowed=may_work(person))
    _open(calibration)
    known = _uuid(key)
    if known is None or not calibration.shots.filter(pk=known).update(removed=True):
        raise CalibrationError("That shot is not one of this calibration.")
    _certify(calibration)


def drop_calibration(person: User, calibration: Calibration) -> None:
    """Nothing of it is used. **Raises** PermissionDenied, CalibrationError."""
    demand(allowed=may_work(person))
    _open(calibration)
    calibration.dropped = True
    calibration.save(update_fields=["dropped"])


def use_calibration(person: User, calibration: Calibration) -> None:
    """What it tells of the cameras is what pictures are measured by from now on; what was taken before keeps its own.

    **Raises** PermissionDenied, CalibrationError.
    """
    demand(allowed=may_work(person))
    with transaction.atomic():
        calibration = Calibration.objects.select_for_update().get(pk=calibration.pk)
        _open(calibration)
        if not calibration.results:
            raise CalibrationError("The pictures do not tell enough yet: take those that are named.")
        device = Device.objects.select_for_update().get(pk=calibration.device_id)
        if device.identity.get("rig") != calibration.rig:
            raise CalibrationError("The cameras say something else of themselves since this was begun: begin anew.")
        calibration.used_at = device.calibrated_at = timezone.now()
        device.calibrated = calibration.results["cameras"]
        calibration.save(update_fields=["used_at"])
        device.save(update_fields=["calibrated", "calibrated_at"])


def keep_held(device: str, key: str, camera: str, raw: bytes) -> None:
    """Keep what one picture of a calibration shows, and work out what all tell once its shot is complete. Anything else is passed
    over. No bytes say that it did not come; of no camera, that none of the shot's will.
    """
    known = _uuid(key)
    shot = None if known is None else HeldShot.objects.filter(pk=known, removed=False).first()
    if shot is None or str(shot.calibration.device_id) != device or (camera and camera not in shot.wanted):
        return
    found, fault = {}, "" if raw else "did not come: look at the device, and take it again"
    try:
        found = look_at(shot.calibration.rig, camera, raw) if raw else {}
    except PictureError as error:
        fault = str(error)
    with transaction.atomic():
        shot = HeldShot.objects.select_for_update().get(pk=shot.pk)
        if fault:
            shot.faults |= dict.fromkeys([camera] if camera else shot.wanted, fault)
        else:
            shot.found[camera] = found
        shot.save(update_fields=["found", "faults"])
    if not shot.wanted:
        _certify(shot.calibration)


def _certify(calibration: Calibration) -> None:
    """Work out what the shots tell; where others have come meanwhile, whoever brought them does it."""
    shots = [shot for shot in calibration.counting if not shot.wanted]
    results, fault = None, ""
    try:
        results = certificates(calibration.rig, [{"found": shot.found} for shot in shots])
    except JobFileError as error:
        fault = "\n".join(one.message for one in error.faults)
    with transaction.atomic():
        now = Calibration.objects.select_for_update().get(pk=calibration.pk)
        if now.used_at is None and [s.pk for s in now.counting if not s.wanted] == [s.pk for s in shots]:
            now.results, now.fault = results, fault
            now.save(update_fields=["results", "fault"])


def held_waiting() -> list[tuple[str, str]]:
    """The shots of the last minutes whose pictures have not come, each with its device."""
    lately = HeldShot.objects.filter(removed=False, at__gt=timezone.now() - _LATELY).select_related("calibration")
    return [(str(shot.calibration.device_id), str(shot.pk)) for shot in lately if shot.wanted]


_LATELY = dt.timedelta(minutes=2)


def _uuid(text: str) -> UUID | None:
    try:
        return UUID(text)
    except ValueError:
        return None
