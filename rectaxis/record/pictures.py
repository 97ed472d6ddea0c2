"""Photos as they come from a camera, made into pictures that are safe to keep: upright, small, without their location."""

from __future__ import annotations

import hashlib
import json
import logging
import subprocess
import sys
import threading
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage

from rectaxis.record import unpack
from rectaxis.record.errors import RecordError

log = logging.getLogger(__name__)

MOST_BYTES = 25_000_000
AT_ONCE = 2
"""So many are unpacked beside each other for a web process: each is a program of its own (``unpack.py``), with its own limit of memory."""
_unpacking = threading.BoundedSemaphore(AT_ONCE)


class PictureError(RecordError):
    """A file that is not taken as a photo; the text says why and what to do."""


@dataclass(frozen=True)
class Picture:
    """A photo as it is kept: a JPEG, and its size in pixels."""

    data: bytes
    width: int
    height: int

    @cached_property
    def digest(self) -> str:
        """What names its content."""
        return hashlib.sha256(self.data).hexdigest()


def keep_picture(picture: Picture) -> None:
    """Store a picture once for its content. One that lies there half-written, from a crash, is made good."""
    path = path_of(picture.digest)
    if default_storage.exists(path):
        with default_storage.open(path) as file:
            if hashlib.sha256(file.read()).hexdigest() == picture.digest:
                return
        default_storage.delete(path)
    default_storage.save(path, ContentFile(picture.data))


def path_of(digest: str) -> str:
    """Where a picture lies in the store."""
    return f"photos/{digest[:2]}/{digest}.jpg"


def stored_picture(digest: str) -> bytes | None:
    """The picture of that digest; None where it is not stored."""
    path = path_of(digest)
    if not digest or not default_storage.exists(path):
        return None
    with default_storage.open(path) as file:
        data: bytes = file.read()
        return data


def written_anew(raw: bytes) -> Picture:
    """The photo as a JPEG of at most LONGEST_SIDE pixels.

    Turned as the camera was held. Nothing of the file is kept but its pixels: no location, no thumbnail, no comment.
    **Raises** PictureError.
    """
    if len(raw) > MOST_BYTES:
        raise PictureError(
            f"This photo has {len(raw) / 1e6:.0f} MB; at most {MOST_BYTES / 1e6:.0f} MB fit. Take it again with a smaller "
            "size set on the camera."
        )
    with _unpacking:
        said, data = _unpacked(raw)
    if "refused" in said:
        raise PictureError(_REFUSED[str(said["refused"])])
    return Picture(data, int(said["width"]), int(said["height"]))


_REFUSED = {
    unpack.BOMB: "This picture claims more pixels than a camera takes: it is refused unopened. Send the photo as the camera made it.",
    unpack.LARGE: f"This picture would unpack to more than {unpack.MOST_UNPACKED // 1_000_000} million pixels: it is refused. Send the photo as the "
    "camera made it, or take it with a smaller size set.",
    unpack.NONE: "This file is not a photo that can be read: expected a JPEG, PNG or WebP picture.",
}  # fmt: skip


def _unpacked(raw: bytes) -> tuple[dict[str, Any], bytes]:
    """What the program that unpacks says, and the picture. One that did not come to an end could not read it.

    It is given nothing to see: where a file takes it over, there are no secrets in its environment.
    """
    command = [sys.executable, "-I", unpack.__file__]
    try:
        done = subprocess.run(command, input=raw, capture_output=True, timeout=2 * unpack.SECONDS, check=True, env={})
        said, _, data = done.stdout.partition(b"\n")
        return json.loads(said), data
    except (subprocess.SubprocessError, ValueError) as error:
        log.warning("a photo could not be unpacked: %s", error)
        return {"refused": unpack.NONE}, b""
