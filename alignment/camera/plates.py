"""A target: a flat white plate with a grid of dots and a coded marker in each corner.

Its own frame: origin in the grid's middle, x right and y down as drawn, z away from who looks at it. Millimetres.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from alignment.model.formula import Array

MARKERS = 4
"""One in each corner: top left, then clockwise."""


@dataclass(frozen=True)
class Plate:
    """What is printed: ``columns`` x ``rows`` places at ``pitch_mm``, markers of ``marker_mm`` on the corner blocks of 2 x 2
    places, with ids from ``first_marker`` on, and dots of ``dot_mm`` on all other places.
    """

    columns: int
    rows: int
    pitch_mm: float
    dot_mm: float
    marker_mm: float
    dictionary: str = "DICT_4X4_250"
    first_marker: int = 0

    @property
    def ids(self) -> tuple[int, ...]:
        """The markers' ids: top left, then clockwise."""
        return tuple(range(self.first_marker, self.first_marker + MARKERS))

    @property
    def half_size(self) -> tuple[float, float]:
        """Half the plate's white, from its middle to its edges, mm: half a pitch beyond the grid's places."""
        return self.columns * self.pitch_mm / 2, self.rows * self.pitch_mm / 2

    @cached_property
    def dots(self) -> Array:
        """Middles of the dots (n, 2), row by row from the top."""
        columns, rows = np.meshgrid(np.arange(self.columns), np.arange(self.rows))
        at_side = (columns < 2) | (columns >= self.columns - 2)  # noqa: PLR2004 - a marker's block is 2 x 2 places
        at_end = (rows < 2) | (rows >= self.rows - 2)  # noqa: PLR2004
        kept = ~(at_side & at_end)
        places = np.stack((columns[kept] - (self.columns - 1) / 2, rows[kept] - (self.rows - 1) / 2), axis=1)
        return np.asarray(places * self.pitch_mm)

    @cached_property
    def marker_middles(self) -> Array:
        """Middles of the markers (4, 2): top left, then clockwise."""
        x, y = (self.columns / 2 - 1) * self.pitch_mm, (self.rows / 2 - 1) * self.pitch_mm
        return np.array([(-x, -y), (x, -y), (x, y), (-x, y)])

    @cached_property
    def marker_corners(self) -> Array:
        """Corners of the markers (4, 4, 2): of each from its top left, clockwise."""
        half = self.marker_mm / 2
        square = np.array([(-half, -half), (half, -half), (half, half), (-half, half)])
        return np.asarray(self.marker_middles[:, None, :] + square)
