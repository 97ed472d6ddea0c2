"""Add a photo to a job, or take one back out of sight."""

from __future__ import annotations

from uuid6 import uuid7

from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User
from rectaxis.record.journal import Journal
from rectaxis.record.models import Job, Photo
from rectaxis.record.pictures import PictureError, keep_picture, written_anew
from rectaxis.record.slot import DAMAGE, of_damage
from rectaxis.record.snapshot import Snapshot
from rectaxis.record.writing import Book, writing

MOST_PHOTOS = 200
LONGEST_NAME = 120


def add_photo(person: User, job: Job, slot: str, name: str, raw: bytes) -> Photo:
    """Keep a photo, written anew, once for its content. ``slot`` is the question that it belongs to, DAMAGE, or a mark's.

    **Raises** PermissionDenied, ClosedError, PictureError.
    """
    demand(allowed=may_measure(person))
    # Before the lock: unpacking a large picture takes a while.
    picture = written_anew(raw)
    with writing(person, job) as book:
        if not _belongs(book, slot):
            raise PictureError("This job has no such place for a photo; reload the page.")
        same = Photo.objects.filter(job=book.job, slot=slot, digest=picture.digest).first()
        if same is None and Photo.objects.filter(job=book.job).count() >= MOST_PHOTOS:
            raise PictureError(f"A job keeps at most {MOST_PHOTOS} photos.")
        keep_picture(picture)
        if same is not None:
            return _shown(same)
        return book.add(
            Photo(
                pk=uuid7(), slot=slot, digest=picture.digest, width=picture.width, height=picture.height,
                name=name[:LONGEST_NAME],
            )
        )  # fmt: skip


def _belongs(book: Book, slot: str) -> bool:
    """Whether a job has such a place for photos: the damage, one mark of it, or a question."""
    if slot == str(DAMAGE) or slot in Snapshot.of(book.job).question:
        return True
    return slot in {str(of_damage(mark.pk)) for mark in Journal(book.job).marks}


def _shown(photo: Photo) -> Photo:
    if photo.removed:
        photo.removed = False
        photo.save(update_fields=["removed"])
    return photo


def set_photo_aside(person: User, photo: Photo, *, removed: bool) -> Photo:
    """Take a photo out of the report, or back in. **Raises** PermissionDenied, ClosedError."""
    with writing(person, photo.job):
        photo.removed = removed
        photo.save(update_fields=["removed"])
    return photo
