"""Add a photo to a job, or take one back out of sight."""

from __future__ import annotations

import hashlib

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import transaction

from rectaxis.jobs.models import Job, Mark, Photo
from rectaxis.jobs.pictures import PictureError, written_anew
from rectaxis.jobs.sheet import Sheet
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

MOST_PHOTOS = 200
DAMAGE = "arrive/damage"


def add_photo(person: User, job: Job, slot: str, name: str, raw: bytes) -> Photo:
    """Keep a photo, written anew, once for its content. ``slot`` is the question that it belongs to, DAMAGE, or a mark's.

    **Raises** PermissionDenied, PictureError.
    """
    demand(allowed=may_measure(person))
    if job.closed:
        raise PictureError("This job is closed; its record stays as it is.")
    if not _belongs(job, slot):
        raise PictureError("This job has no such place for a photo; reload the page.")
    data, width, height = written_anew(raw)
    digest = hashlib.sha256(data).hexdigest()
    with transaction.atomic():
        # One after the other, so that the same photo sent twice is kept once.
        Job.objects.select_for_update().get(pk=job.pk)
        same = Photo.objects.filter(job=job, slot=slot, digest=digest).first()
        if same is not None:
            return _shown(same)
        if Photo.objects.filter(job=job).count() >= MOST_PHOTOS:
            raise PictureError(f"A job keeps at most {MOST_PHOTOS} photos.")
        photo = Photo(job=job, by=person, slot=slot, digest=digest, width=width, height=height, name=name[:120])
        if not default_storage.exists(photo.path):
            default_storage.save(photo.path, ContentFile(data))
        photo.save()
    return photo


def _belongs(job: Job, slot: str) -> bool:
    """Whether a job has such a place for photos: the damage, one mark of it, or a question."""
    if slot == DAMAGE or slot in {q.slot for asked in Sheet(job).questions.values() for q in asked}:
        return True
    return slot in {damage_slot(mark) for mark in Mark.objects.filter(job=job)}


def damage_slot(mark: Mark) -> str:
    """The slot of the photos of one mark on the outline."""
    return f"{DAMAGE}/{mark.pk}"


def _shown(photo: Photo) -> Photo:
    if photo.removed:
        photo.removed = False
        photo.save(update_fields=["removed"])
    return photo


def set_photo_aside(person: User, photo: Photo, *, removed: bool) -> Photo:
    """Take a photo out of the report, or back in. **Raises** PermissionDenied, PictureError."""
    demand(allowed=may_measure(person))
    if photo.job.closed:
        raise PictureError("This job is closed; its record stays as it is.")
    photo.removed = removed
    photo.save(update_fields=["removed"])
    return photo
