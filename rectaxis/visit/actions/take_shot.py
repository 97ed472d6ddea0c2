"""Take pictures with the cameras of a kit, keep what came, and measure by it."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Sequence
from typing import Any
from uuid import UUID

import cv2
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.utils import timezone
from uuid6 import uuid7

from alignment.camera.pictures import PictureError, decode
from alignment.camera.shots import enough, look_at, measure_shots
from alignment.errors import JobFileError
from alignment.procedure.kit import kit as core_kit
from rectaxis.devices.channel import tell_kept, want
from rectaxis.devices.models import Device
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.journal import Journal
from rectaxis.record.models import Job, Shot, Sighting
from rectaxis.record.slot import SEALED, Phase
from rectaxis.record.snapshot import Snapshot
from rectaxis.record.writing import Book, writing
from rectaxis.sources.choose import source_of
from rectaxis.visit.sightings import called, holding, shots_of

MOST_SHOTS = 60
"""Of one visit that count; each is as large as its pictures."""


class ShotError(RecordError):
    """Pictures that are not taken; the text says why."""


def take_shot(person: User, job: Job, phase: str, move: str, device: Device) -> Shot:
    """Ask a device for pictures of all its cameras. **Raises** PermissionDenied, ShotError, ClosedError."""
    with writing(person, job) as book:
        _check(book, phase, move, device)
        taken = {"device": str(device.pk), **device.as_taken()}
        shot = Shot(pk=uuid7(), phase=phase, move=move, rig=device.rig, taken=taken)
        book.add(shot)
        book.begin_work()
        want(device=str(device.pk), do="take", shot=str(shot.pk), move=move, visit=str(book.job.pk))
        return shot


def see_simulated(person: User, job: Job, phase: Phase) -> Sighting:
    """What the cameras of a made-up vehicle tell of it, without their pictures. **Raises** PermissionDenied, ShotError."""
    with writing(person, job) as book:
        snapshot, journal = Snapshot.of(book.job), Journal(book.job)
        if not snapshot.rig.seen:
            raise ShotError("The kit of this visit takes no pictures.")
        if phase in book.sealed:
            raise ShotError(f"The {phase} is saved; its pictures stay as they are.")
        stations = [one for one in core_kit(snapshot.rig.code).stations(snapshot.vehicle) if one.kind.SEEN]
        readings = source_of(book.job).seen(journal, stations)
        book.begin_work()
        return book.add(Sighting(pk=uuid7(), phase=phase, readings=readings))


def _check(book: Book, phase: str, move: str, device: Device) -> None:
    """**Raises** ShotError."""
    if not Snapshot.of(book.job).rig.seen:
        raise ShotError("The kit of this visit takes no pictures.")
    if phase not in (*SEALED, Phase.SET) or move not in Shot.Move.values:
        raise ShotError("Expected a phase of this visit, and whether it was rolled, steered or stands.")
    if phase in book.sealed:
        raise ShotError(f"The {phase} is saved; its pictures stay as they are.")
    if "rig" not in device.identity:
        raise ShotError(f"{device.name} does not say where its cameras stand. Pair it again.")
    if Shot.objects.filter(job=book.job, removed=False).count() >= MOST_SHOTS:
        raise ShotError(f"A visit keeps at most {MOST_SHOTS} shots: leave out those that are not needed.")


def keep_shot(device: str, key: str, camera: str, raw: bytes, *, moved: bool = False) -> None:
    """Keep one picture of a shot that was asked for, and measure once all have come. Anything else is passed over.

    No bytes say that it did not come; of no camera, that none of the shot's will. ``moved`` says that the cameras have felt a
    knock: what the roll told of where they stand no longer holds.
    """
    known = _uuid(key)
    shot = None if known is None else Shot.objects.select_related("job", "by").filter(pk=known, removed=False).first()
    if shot is None or shot.taken.get("device") != device or (camera and camera not in shot.wanted):
        return
    if not raw:
        _did_not_come(shot, [camera] if camera else shot.wanted)
        return
    sizes = {one["id"]: tuple(one["size"]) for one in shot.rig["cameras"]}
    found, digest = {}, ""
    fault = _KNOCKED if moved and shot.move == Shot.Move.STILL else ""
    try:
        found, digest = look_at(shot.rig, camera, raw), _stored(raw, sizes[camera])
    except PictureError as error:
        fault = str(error)
    with writing(shot.by, shot.job) as book:
        shot.refresh_from_db()
        if fault:
            shot.faults[camera] = fault
        else:
            shot.found[camera], shot.pictures[camera] = found, digest
        shot.save(update_fields=["found", "pictures", "faults"])
        book.changed()
        tell_kept(device, str(book.job.pk))
    if not shot.wanted and shot.found:
        _measure(shot.by, shot.job, Phase(shot.phase))


def _did_not_come(shot: Shot, cameras: Sequence[str]) -> None:
    with writing(shot.by, shot.job) as book:
        shot.refresh_from_db()
        shot.faults |= dict.fromkeys(cameras, _NOT_COME)
        shot.save(update_fields=["faults"])
        book.changed()
        tell_kept(shot.taken["device"], str(book.job.pk))


_NOT_COME = "did not come: look at the device, and take it again."
_KNOCKED = (
    "was taken after the cameras were knocked: it does not count. Fix them and roll anew; if one moved against the other, "
    "calibrate them first."
)


def _uuid(text: str) -> UUID | None:
    try:
        return UUID(text)
    except ValueError:
        return None


def _stored(raw: bytes, size: tuple[int, int]) -> str:
    """A picture written anew without loss, once for its content; its digest."""
    _, data = cv2.imencode(".png", decode(raw, size))
    digest = hashlib.sha256(data.tobytes()).hexdigest()
    if not default_storage.exists(picture_path(digest)):
        default_storage.save(picture_path(digest), ContentFile(data.tobytes()))
    return digest


def picture_path(digest: str) -> str:
    """Where a camera's picture lies in the store."""
    return f"shots/{digest[:2]}/{digest}.png"


def _measure(person: User, job: Job, phase: Phase) -> Sighting | None:
    """What the shots of a phase tell now; None while they are too few, once the phase is sealed, or where others have come meanwhile: those are measured
    by whoever brought them.
    """
    journal = Journal(job)
    shots = _complete(journal, phase)
    names = called(journal, phase, shots)
    taken = [{**shot.as_shot(), "called": name} for shot, name in zip(shots, names, strict=True)]
    if not enough(taken):
        return None
    told: dict[str, list[dict[str, Any]]] = {"readings": [], "wheels": [], "warnings": []}
    try:
        found = measure_shots(shots[-1].rig, taken)
        told |= {name: found[name] for name in told}
    except JobFileError as error:
        told["warnings"] = [fault._asdict() for fault in error.faults]
    readings = [{key: value for key, value in one.items() if key != "phase"} for one in told["readings"]]
    with writing(person, job) as book:
        if phase in book.sealed or [s.pk for s in _complete(Journal(job), phase)] != [s.pk for s in shots]:
            return None
        tell_kept(shots[-1].taken["device"], str(book.job.pk))
        return book.add(
            Sighting(
                pk=uuid7(), phase=phase, readings=readings, wheels=told["wheels"], warnings=told["warnings"],
                taken={**shots[-1].taken, "shots": [str(shot.pk) for shot in shots]},
                newest_shot=max(shot.sequence for shot in shots),
            )
        )  # fmt: skip


def _complete(journal: Journal, phase: Phase) -> list[Shot]:
    """The shots that tell of a phase, as far as their pictures are there."""
    return [shot for shot in shots_of(journal, phase) if not shot.wanted and shot.found]


def leave_out_shot(person: User, shot: Shot) -> None:
    """A shot that went wrong counts no more; what the others tell is measured anew. **Raises** as ``take_shot`` does."""
    with writing(person, shot.job) as book:
        if shot.phase in book.sealed:
            raise ShotError(f"The {shot.phase} is saved; its pictures stay as they are.")
        shot.removed = True
        shot.save(update_fields=["removed"])
        book.changed()
    _measure(person, shot.job, Phase(shot.phase))


def take_over_sighting(person: User, job: Job) -> Sighting:
    """What the cameras saw last while setting is the after, too. **Raises** ShotError where something was moved since."""
    with writing(person, job) as book:
        journal = Journal(book.job)
        last = holding(journal, journal.moves, None)
        if last is None or Phase.AFTER in book.sealed:
            raise ShotError("Something was moved since the cameras looked last: take the pictures again.")
        return book.add(Sighting(pk=uuid7(), phase=Phase.AFTER, readings=last.readings, wheels=last.wheels,
                                 warnings=last.warnings, taken=last.taken))  # fmt: skip


def shots_waiting() -> list[tuple[str, str]]:
    """The shots of the last minutes whose pictures have not come, each with the device that was asked for them."""
    lately = Shot.objects.filter(removed=False, at__gt=timezone.now() - _LATELY)
    return [(shot.taken.get("device", ""), str(shot.pk)) for shot in lately if shot.wanted]


_LATELY = dt.timedelta(minutes=2)
