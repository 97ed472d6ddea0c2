"""The kinds of reading. A kind is one class in one file of this folder; this table is all that knows them by name."""

from __future__ import annotations

from alignment.readings.base import Reading
from alignment.readings.beams import OutboardPair, SetbackScales
from alignment.readings.gauges import Camber, Runout
from alignment.readings.ground import GroundTilt
from alignment.readings.toe import ToeScales

KINDS: dict[str, type[Reading]] = {
    kind.KIND: kind for kind in (OutboardPair, ToeScales, SetbackScales, Camber, Runout, GroundTilt)
}

__all__ = ["KINDS", "Reading"]
