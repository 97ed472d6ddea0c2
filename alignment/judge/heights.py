"""Figures that go by the ride height: several rows for one result, each at a height, and between two of them a straight line.

Makers of vehicles on springs give camber and caster as a table over the height of a point of the body or the arm. A height that
lies outside the table is not judged by it: what the suspension does there nobody has said.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from alignment.errors import SpecificationError
from alignment.model.vehicle import SIDES
from alignment.quantities import QUANTITIES
from alignment.speech import side_name

HEIGHT = "height_mm"
_BOUNDS = ("min", "preferred", "max")
_OF = ("quantity", "axle", "side")
_FEWEST = 2
Rows = Sequence[Mapping[str, Any]]


def check_heights(rows: Rows) -> None:
    """**Raises** SpecificationError, which says what is missing, for rows that are no table."""
    for (quantity, axle, _), table in _tables(rows).items():
        label = QUANTITIES[quantity].label
        if QUANTITIES[quantity].scope not in ("wheel", "axle"):
            raise SpecificationError(HEIGHT, f"the {label} is not of one axle: its figures cannot go by a ride height")
        name = f"{label} of axle {axle}"
        if len({row[HEIGHT] for row in table}) != len(table):
            raise SpecificationError(HEIGHT, f"{name}: the same ride height stands twice")
        if len(table) < _FEWEST:
            raise SpecificationError(HEIGHT, f"{name}: expected figures at two ride heights or more, got one")
        if len({tuple(name in row for name in _BOUNDS) for row in table}) > 1:
            raise SpecificationError(HEIGHT, f"{name}: expected the same figures at each ride height")


def at_heights(rows: Rows, heights: Mapping[tuple[int, str], float]) -> tuple[list[dict[str, Any]], list[str]]:
    """Rows as they hold at ride heights (mm, by axle and side), those of a table as one row each; and what they do not judge, and why, as sentences.

    A wheel goes by the height on its own side, an axle by the mean of both. ``rows`` must pass ``check_heights``.
    """
    found = [dict(row) for row in rows if row.get(HEIGHT) is None]
    untold = []
    for (quantity, axle, side), table in _tables(rows).items():
        row = _at(table, _height(heights, axle, side))
        if isinstance(row, str):
            where = f"{side_name(side)} " if side else ""
            label = f"{where}{QUANTITIES[quantity].label} of axle {axle}"
            untold.append(f"{label[0].upper()}{label[1:]} is not judged: {row}.")
        else:
            found.append(row)
    return found, untold


def _tables(rows: Rows) -> dict[tuple[str, int, str | None], list[Mapping[str, Any]]]:
    """The rows that go by a height, by what they are of, from the lowest to the highest."""
    found: dict[tuple[str, int, str | None], list[Mapping[str, Any]]] = {}
    for row in rows:
        if row.get(HEIGHT) is not None:
            found.setdefault((row["quantity"], row.get("axle", 0), row.get("side")), []).append(row)
    return {key: sorted(table, key=lambda row: row[HEIGHT]) for key, table in found.items()}


def _height(heights: Mapping[tuple[int, str], float], axle: int, side: str | None) -> float | None:
    of: Iterable[float | None] = [heights.get((axle, one)) for one in ((side,) if side else SIDES)]
    known = [height for height in of if height is not None]
    return sum(known) / len(known) if known and (side or len(known) == len(SIDES)) else None


def _at(table: Rows, height: float | None) -> dict[str, Any] | str:
    """The row at a height, or why there is none."""
    if height is None:
        return "its figures go by the ride height, which is not measured"
    low, high = table[0][HEIGHT], table[-1][HEIGHT]
    if not low <= height <= high:
        return f"its figures go from {low:g} to {high:g} mm of ride height, and it stands at {height:.0f} mm"
    below = max((row for row in table if row[HEIGHT] <= height), key=lambda row: row[HEIGHT])
    above = min((row for row in table if row[HEIGHT] >= height), key=lambda row: row[HEIGHT])
    apart = above[HEIGHT] - below[HEIGHT]
    share = (height - below[HEIGHT]) / apart if apart else 0.0
    row = {name: below[name] for name in _OF if name in below}
    return row | {name: below[name] + share * (above[name] - below[name]) for name in _BOUNDS if name in below}


def one_each(rows: Rows) -> list[dict[str, Any]]:
    """Rows with one of each table, that of its lowest height: what is asked of a kit hangs on how wide the limits are, not on where."""
    lowest = [{name: value for name, value in table[0].items() if name != HEIGHT} for table in _tables(rows).values()]
    return [*(dict(row) for row in rows if row.get(HEIGHT) is None), *lowest]
