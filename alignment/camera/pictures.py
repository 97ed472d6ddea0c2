"""Pictures as files: read one at a time, checked before they are decoded, held no longer than their dots."""

from __future__ import annotations

import io
import warnings
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from alignment.camera.detect import Picture
from alignment.camera.setups import Setup

MOST_BYTES = 40_000_000
"""Of one picture's file (devices.md)."""
_FORMATS = ("PNG", "JPEG")
_JPEG_END = b"\xff\xd9"

Read = Callable[[int, str], Picture]
"""A grey picture (rows, columns) by the number of its shot and the camera's name. **Raises** PictureError."""


class PictureError(ValueError):
    """A picture that cannot be used; the text says what was expected and what came."""


def reader(setup: Setup) -> Read:
    """Reads a set-up's pictures from its folder."""
    sizes = {camera.id: camera.size for camera in setup.cameras}

    def read(shot: int, camera: str) -> Picture:
        return decode_at(setup.folder, setup.shots[shot].pictures[camera], sizes[camera])

    return read


def decode_at(folder: Path, name: str, size: tuple[int, int]) -> Picture:
    """The grey picture of ``size`` in a file below a folder. **Raises** PictureError."""
    return decode(_bytes(folder / name, folder), size)


def _bytes(path: Path, folder: Path) -> bytes:
    try:
        if not path.resolve().is_relative_to(folder.resolve()):
            raise PictureError("lies outside the folder of this file")
        with path.open("rb") as file:
            raw = file.read(MOST_BYTES + 1)
    except (OSError, ValueError) as error:
        if isinstance(error, PictureError):
            raise
        raise PictureError(
            f"cannot be read: {getattr(error, 'strerror', None) or 'its name is no file name'}"
        ) from None
    if len(raw) > MOST_BYTES:
        raise PictureError(f"is larger than {MOST_BYTES / 1e6:.0f} MB")
    return raw


def decode(raw: bytes, size: tuple[int, int]) -> Picture:
    """A PNG or JPEG as a grey picture of ``size``. **Raises** PictureError.

    A file's size is read before anything is decoded, so that a small file never becomes a huge picture. What it says about
    how to turn it is passed over: the certificate is of the sensor as it is.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            with Image.open(io.BytesIO(raw), formats=_FORMATS) as image:
                found, kind = image.size, image.format
                if found == size:
                    image.verify()
    except Exception:  # noqa: BLE001 - whatever a broken file makes the library raise, it cannot be read
        raise PictureError("cannot be read as a PNG or JPEG picture: it is broken, or something else") from None
    if found != size:
        raise PictureError(
            f"expected {size[0]} x {size[1]} pixels, as the camera's size says, got {found[0]} x {found[1]}"
        )
    if kind == "JPEG" and _JPEG_END not in raw[-64:]:
        raise PictureError("cannot be read as a PNG or JPEG picture: its end is missing")
    flags = cv2.IMREAD_GRAYSCALE | cv2.IMREAD_IGNORE_ORIENTATION
    picture = cv2.imdecode(np.frombuffer(raw, dtype=np.uint8), flags)
    if picture is None or picture.shape != (size[1], size[0]):
        raise PictureError("cannot be read as a PNG or JPEG picture: it is broken, or something else")
    return np.asarray(picture)
