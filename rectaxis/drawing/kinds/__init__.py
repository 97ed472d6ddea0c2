"""How each kind of reading is drawn and asked for: one file for each family."""

from rectaxis.drawing.kinds import across, beams, tapes, wheel
from rectaxis.drawing.kinds.base import Drawn, Shape

DRAWN: dict[str, Drawn] = {**wheel.DRAWN, **across.DRAWN, **beams.DRAWN, **tapes.DRAWN}
"""The kinds that have a place on the drawing."""

__all__ = ["DRAWN", "Drawn", "Shape"]
