"""Photos as they come from a camera, made into pictures that are safe to keep: upright, small, without their location."""

from __future__ import annotations

import hashlib
import io
import threading
import warnings
from dataclasses import dataclass
from functools import cached_property

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from PIL import Image, ImageOps, UnidentifiedImageError

from rectaxis.record.errors import RecordError

MOST_BYTES = 25_000_000
MOST_PIXELS, MOST_UNPACKED = 80_000_000, 25_000_000
"""More than any camera's sensor that a person carries; and what is unpacked of it: of a plain JPEG a smaller picture can be, of others the whole."""
AT_ONCE = 2
"""So many are unpacked beside each other in a process: each takes up to 4 bytes a pixel, a few times over."""
_unpacking = threading.BoundedSemaphore(AT_ONCE)
LONGEST_SIDE = 1800
_QUALITY = 82
_FORMATS = ("JPEG", "PNG", "WEBP")


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
    try:
        with _unpacking, warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            return _shrunk(raw)
    except Image.DecompressionBombError:
        raise PictureError(_BOMB) from None
    except (UnidentifiedImageError, OSError, SyntaxError) as error:
        raise PictureError(
            "This file is not a photo that can be read: expected a JPEG, PNG or WebP picture."
        ) from error


_BOMB = (
    "This picture claims more pixels than a camera takes: it is refused unopened. Send the photo as the camera made it."
)
_LARGE = (
    f"This picture would unpack to more than {MOST_UNPACKED // 1_000_000} million pixels: it is refused unopened. Send the photo as the camera made it, "
    "or take it with a smaller size set."
)


def _shrunk(raw: bytes) -> Picture:
    with Image.open(io.BytesIO(raw), formats=_FORMATS) as picture:
        # Known from the header, before anything is unpacked.
        if picture.width * picture.height > MOST_PIXELS:
            raise PictureError(_BOMB)
        whole = picture.width * picture.height
        picture.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
        # One that was written coarse to fine is held whole however small it is asked for.
        unpacked = whole if picture.info.get("progressive") else picture.width * picture.height
        if unpacked > MOST_UNPACKED:
            raise PictureError(_LARGE)
        upright = ImageOps.exif_transpose(picture).convert("RGB")
    # A writer would carry comments and profiles over from what it was opened with.
    upright.info.clear()
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    out = io.BytesIO()
    upright.save(out, "JPEG", quality=_QUALITY, optimize=True)
    return Picture(out.getvalue(), upright.width, upright.height)
