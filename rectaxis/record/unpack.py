"""Unpacks one photo from its standard input and writes it anew, as a program of its own with little memory: whatever a file does to it,
nothing else comes to harm.

It answers with a line of JSON, the size or what is wrong by a code, and then the picture. It needs nothing of the rest of the program.
"""

from __future__ import annotations

import io
import json
import resource
import sys
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

MOST_PIXELS, MOST_UNPACKED = 80_000_000, 25_000_000
"""More than any camera's sensor that a person carries; and what is unpacked of it: of a plain JPEG a smaller picture can be, of others the whole."""
LONGEST_SIDE = 1800
MEMORY, SECONDS = 900_000_000, 30
"""So much address space a picture that is taken never needs: 4 bytes a pixel a few times over, and the program itself."""
BOMB, LARGE, NONE = "bomb", "large", "none"
_QUALITY = 82
_FORMATS = ("JPEG", "PNG", "WEBP")


class Refused(Exception):  # noqa: N818 - the code says why
    """A file that is not taken, with the code of why."""


def shrunk(raw: bytes) -> tuple[bytes, int, int]:
    """A JPEG of at most LONGEST_SIDE pixels, and its size. **Raises** Refused."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            return _shrunk(raw)
    except Image.DecompressionBombError:
        raise Refused(BOMB) from None
    except MemoryError:
        raise Refused(LARGE) from None
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError) as error:
        raise Refused(NONE) from error


def _shrunk(raw: bytes) -> tuple[bytes, int, int]:
    with Image.open(io.BytesIO(raw), formats=_FORMATS) as picture:
        # Known from the header, before anything is unpacked.
        if picture.width * picture.height > MOST_PIXELS:
            raise Refused(BOMB)
        whole = picture.width * picture.height
        picture.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
        # One that was written coarse to fine is held whole however small it is asked for.
        unpacked = whole if picture.info.get("progressive") else picture.width * picture.height
        if unpacked > MOST_UNPACKED:
            raise Refused(LARGE)
        upright = ImageOps.exif_transpose(picture).convert("RGB")
    # A writer would carry comments and profiles over from what it was opened with.
    upright.info.clear()
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    out = io.BytesIO()
    upright.save(out, "JPEG", quality=_QUALITY, optimize=True)
    return out.getvalue(), upright.width, upright.height


def main() -> None:
    """One photo, from the standard input to the standard output."""
    raw = sys.stdin.buffer.read()
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    try:
        data, width, height = shrunk(raw)
        said: dict[str, object] = {"width": width, "height": height}
    except Refused as refused:
        data, said = b"", {"refused": str(refused)}
    sys.stdout.buffer.write(json.dumps(said).encode() + b"\n" + data)


if __name__ == "__main__":
    main()
