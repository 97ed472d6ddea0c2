"""The check digit of a vehicle identification number, as far as a number carries one.

The scheme is that of 49 CFR 565.15 (letters transliterated, weights by place, remainder by 11), from memory. It binds in
some regions only: elsewhere the ninth place may hold anything, so a digit that does not agree is a reason to look
again, not to refuse.
"""

from __future__ import annotations

import re

_VALUES = {**{str(digit): digit for digit in range(10)}, **dict(zip("ABCDEFGH", range(1, 9), strict=True)),
           **dict(zip("JKLMN", range(1, 6), strict=True)), "P": 7, "R": 9,
           **dict(zip("STUVWXYZ", range(2, 10), strict=True))}  # fmt: skip
_WEIGHTS = (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2)
_SHAPE = re.compile(r"[A-HJ-NPR-Z0-9]{17}")
_PLACE = 8


class VinError(ValueError):
    """A number that cannot be a VIN; the text says why."""


def plain(typed: str) -> str:
    """The number in capitals without spaces or hyphens. **Raises** VinError for what cannot be one."""
    vin = re.sub(r"[\s-]", "", typed).upper()
    if not _SHAPE.fullmatch(vin):
        raise VinError(
            f"Expected 17 letters and digits, without I, O and Q; got {len(vin)}: look for a letter O that is a zero."
        )
    return vin


def check_digit(vin: str) -> str:
    """The digit (or X) that the ninth place of a plain VIN should hold."""
    remainder = sum(_VALUES[c] * weight for c, weight in zip(vin, _WEIGHTS, strict=True)) % 11
    return "X" if remainder == 10 else str(remainder)  # noqa: PLR2004 - the remainder that has no digit


def doubt(vin: str) -> str:
    """What does not agree in a plain VIN, as a sentence; empty where its check digit holds."""
    expected = check_digit(vin)
    if vin[_PLACE] == expected:
        return ""
    return (
        f"Its check digit does not agree: the ninth place is {vin[_PLACE]}, by the others it would be {expected}. Compare it "
        "with the plate; a vehicle built for a region without check digits may be right all the same."
    )
