"""Photos as they come from a camera, made into pictures that are safe to keep: upright, small, without their location."""

from __future__ import annotations

import io
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

MOST_BYTES = 25_000_000
MOST_PIXELS = 80_000_000
"""More than any camera's sensor that a person carries; a small file can claim far more."""
LONGEST_SIDE = 1800
_QUALITY = 82
_FORMATS = ("JPEG", "PNG", "WEBP")


class PictureError(ValueError):
    """A file that is not taken as a photo; the text says why and what to do."""


def written_anew(raw: bytes) -> tuple[bytes, int, int]:
    """The photo as a JPEG of at most LONGEST_SIDE pixels, with its width and height.

    Turned as the camera was held. Nothing of the file is kept but its pixels: no location, no thumbnail, no comment.
    **Raises** PictureError.
    """
    if len(raw) > MOST_BYTES:
        raise PictureError(
            f"This photo has {len(raw) / 1e6:.0f} MB; at most {MOST_BYTES / 1e6:.0f} MB fit. Take it again with a smaller "
            "size set on the camera."
        )
    try:
        with warnings.catch_warnings():
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


def _shrunk(raw: bytes) -> tuple[bytes, int, int]:
    with Image.open(io.BytesIO(raw), formats=_FORMATS) as picture:
        # Known from the header, before anything is unpacked.
        if picture.width * picture.height > MOST_PIXELS:
            raise PictureError(_BOMB)
        picture.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
        upright = ImageOps.exif_transpose(picture).convert("RGB")
    # A writer would carry comments and profiles over from what it was opened with.
    upright.info.clear()
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    out = io.BytesIO()
    upright.save(out, "JPEG", quality=_QUALITY, optimize=True)
    return out.getvalue(), upright.width, upright.height
