"""Tyre sizes as printed on the sidewall: width, height in per cent of it, and rim; and what follows from them."""

from __future__ import annotations

import re
from typing import NamedTuple

from alignment.errors import TypedValueError
from alignment.speech import MM_PER_INCH

_SIZE = re.compile(
    r"(?P<width>\d{3})\s*/\s*(?P<aspect>\d{2,3})\s*(?:ZR|R|-)?\s*(?P<rim>\d{2}(?:[.,]5)?)\s*(?:C|LT)?", re.IGNORECASE
)


class TyreSize(NamedTuple):
    """A metric size: section width in mm, height of the sidewall in per cent of it, rim diameter in inches."""

    width_mm: float
    aspect: float
    rim_in: float

    @property
    def rim_mm(self) -> float:
        """The rim's nominal diameter, mm."""
        return self.rim_in * MM_PER_INCH

    @property
    def diameter_mm(self) -> float:
        """Outer diameter of the new, unloaded tyre, mm: the rim and twice the sidewall."""
        return self.rim_mm + 2 * self.width_mm * self.aspect / 100


def parse_size(text: str) -> TyreSize:
    """A size as printed, such as ``215/65 R16`` or ``315/80R22.5``. **Raises** TypedValueError for anything else."""
    match = _SIZE.fullmatch(text.strip())
    if match is None:
        raise TypedValueError(text, "a size as printed on the tyre, such as 215/65 R16 or 315/80 R22.5")
    return TyreSize(float(match["width"]), float(match["aspect"]), float(match["rim"].replace(",", ".")))
