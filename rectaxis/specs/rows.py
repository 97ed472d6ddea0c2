"""The rows of a specification: as a form lays them out by axles, and as they are read back from a library."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from alignment.judge.heights import HEIGHT
from alignment.model.vehicle import SIDES
from alignment.quantities import QUANTITIES

Row = dict[str, str]
"""One row as it is typed: ``quantity``, ``axle``, ``side``, ``least``, ``preferred``, ``most``, ``given``, ``over``, ``height``."""

OF_AXLE = ("total_toe_deg", "camber_deg")
OF_FRONT = ("caster_deg",)
OF_REAR = ("bearing_deg",)
OF_VEHICLE = ("steer_ahead_deg", "thrust_angle_deg")
BETWEEN = ("scrub_deg",)
_FIGURES = ("least", "preferred", "most")
BLANK_ROWS = 3
MOST_AXLES = 8


def standard(axles: int) -> list[tuple[str, str]]:
    """The quantities, each with its axle, that a vehicle of so many axles usually has figures for."""
    found = []
    for axle in range(1, axles + 1):
        names = (*OF_AXLE, *(OF_FRONT if axle == 1 else ()), *(OF_REAR if axle > 1 and axles > 2 else ()))  # noqa: PLR2004
        found += [(name, str(axle)) for name in names]
    if axles > 2:  # noqa: PLR2004 - scrub is between axles that do not steer
        found += [(name, str(axle)) for axle in range(1, axles) for name in BETWEEN]
    return [*found, *((name, "") for name in OF_VEHICLE)]


def laid_out(typed: Iterable[Mapping[str, str]], axles: int, given: str = "deg") -> list[Row]:
    """Rows as the form shows them: the usual ones axle by axle, then what else was typed, then blank ones."""
    left = [dict(row) for row in typed if row.get("quantity")]
    found: list[Row] = []
    for quantity, axle in standard(axles):
        row = next(
            (
                r
                for r in left
                if (r["quantity"], r.get("axle", ""), r.get("side", ""), r.get("height", ""))
                == (quantity, axle, "", "")
            ),
            None,
        )
        if row is not None:
            left.remove(row)
        found.append({"given": given, **(row or {}), "quantity": quantity, "axle": axle, "fixed": "1"})
    gone = [row for row in left if not row.get("fixed") or any(row.get(name) for name in _FIGURES)]
    return [*found, *({**row, "fixed": ""} for row in gone), *({"given": given} for _ in range(BLANK_ROWS))]


def typed_of(rows: Sequence[Mapping[str, Any]]) -> list[Row]:
    """The job file's rows as if they had been typed in degrees and mm: both wheels of an axle as one row where they agree."""
    found: list[Row] = []
    for row in rows:
        figures = {name: f"{row[key]:g}" for name, key in zip(_FIGURES, ("min", "preferred", "max"), strict=True)
                   if row.get(key) is not None}  # fmt: skip
        axle = row.get("axle") or (row["axles"][0] if row.get("axles") else "")
        figures |= {"height": f"{row[HEIGHT]:g}"} if row.get(HEIGHT) is not None else {}
        made = {"quantity": str(row["quantity"]), "axle": str(axle), "side": str(row.get("side") or ""), **figures}
        other = {**made, "side": SIDES[0]}
        if made["side"] == SIDES[1] and other in found:
            found[found.index(other)] = {**made, "side": ""}
        else:
            found.append(made)
    return found


def axles_of(typed: Iterable[Mapping[str, str]], least: int = 2) -> int:
    """How many axles the rows speak of."""
    named = [int(row["axle"]) + _pair(row) for row in typed if str(row.get("axle", "")).isdecimal()]
    return min(MOST_AXLES, max([least, *named]))


def _pair(row: Mapping[str, str]) -> int:
    quantity = QUANTITIES.get(row.get("quantity", ""))
    return int(quantity is not None and quantity.scope == "pair")
