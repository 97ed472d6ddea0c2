"""Rigs of a job file: what they saw, and how their rows are known together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from alignment.checker import Checker
from alignment.readings import Reading
from alignment.readings.camera import RigCovariance, SeenByRig, SteerAxis, WheelAxis
from alignment.readings.ground import GroundTilt
from alignment.readings.plumb import Plumb

ROWS = (*WheelAxis.ROWS, *SteerAxis.ROWS, *Plumb.ROWS)
"""Names of the rows that a rig's readings may have."""
_SAME = 1e-9
"""Two numbers of a covariance that differ by less than this share of their uncertainties' product are the same."""
_INDEX_AND_NAME = 2


def check_rows(check: Checker, at: str, value: object) -> None:
    """A list of rows, each an index of a reading and the name of one of its rows."""
    if not isinstance(value, list) or not value:
        check.fault(at, f'expected a list of rows, such as [3, "toe"], got {check.shown(value)}')
        return
    for number, row in enumerate(value):
        here = f"{at}/{number}"
        if not isinstance(row, list) or len(row) != _INDEX_AND_NAME:
            check.fault(here, f"expected the index of a reading and the name of a row, got {check.shown(row)}")
        elif not isinstance(row[0], int) or isinstance(row[0], bool) or row[0] < 0:
            check.fault(f"{here}/0", f"expected the index of a reading, got {check.shown(row[0])}")
        else:
            check.word(f"{here}/1", row[1], ROWS)


def check_matrix(check: Checker, at: str, value: object) -> None:
    """A list of lists of numbers."""
    for number, line in enumerate(check.items(at, value)):
        for place, entry in enumerate(check.items(f"{at}/{number}", line)):
            check.length(f"{at}/{number}/{place}", entry)


def check_rigs(check: Checker, readings: Mapping[int, Reading]) -> None:
    """Rigs that saw no wheel, and covariances that do not fit their readings; those that fit are bound to them.

    ``readings`` are the sound ones of a file by their index in it.
    """
    saw = {(r.phase, r.rig) for r in readings.values() if isinstance(r, WheelAxis)}
    exact = {r.phase for r in readings.values() if isinstance(r, GroundTilt) and r.exact}
    known: set[tuple[str, str]] = set()
    for index, reading in readings.items():
        at = f"/readings/{index}"
        if isinstance(reading, SteerAxis):
            _check_upward(check, at, reading, "axis", saw)
        elif isinstance(reading, Plumb):
            _check_upward(check, at, reading, "up", saw)
            if reading.phase in exact:
                check.fault(
                    at, "a plumb line tells the ground's tilt, which is taken as exact in this phase: give it u_deg"
                )
        elif isinstance(reading, RigCovariance):
            whose = reading.phase, str(reading.data["rig"])
            if whose in known:
                check.fault(
                    at, f"the rig {whose[1]} already has a covariance in the phase {whose[0]}; keep one of them"
                )
            elif whose not in saw:
                check.fault(at, f"the rig {whose[1]} saw no wheel in the phase {whose[0]}: expected a wheel_axis of it")
            else:
                _bind(check, at, reading, readings)
            known.add(whose)


def _check_upward(check: Checker, at: str, reading: SeenByRig, name: str, saw: set[tuple[str, str | None]]) -> None:
    """The direction of that name points up, and the rig saw a wheel."""
    up = reading.data[name][2]
    if up <= 0:
        what = "an axis" if name == "axis" else "a direction"
        check.fault(
            f"{at}/{name}", f"expected {what} that points up, with its third part above 0, got {check.shown(up)}"
        )
    if reading.rig is not None and (reading.phase, reading.rig) not in saw:
        check.fault(f"{at}/rig", f"the rig {reading.rig} saw no wheel in this phase: expected a wheel_axis of it")


def _bind(check: Checker, at: str, rig: RigCovariance, readings: Mapping[int, Reading]) -> None:
    """Tell a covariance which readings' rows it is of."""
    before, of = len(check.faults), []
    rows: list[list[Any]] = rig.data["rows"]
    seen: set[tuple[int, str]] = set()
    for index, name in rows:
        reading = readings.get(index)
        mine = isinstance(reading, SeenByRig) and (reading.rig, reading.phase) == (rig.data["rig"], rig.phase)
        if reading is None or not mine or name not in reading.rows:
            check.fault(f"{at}/rows", f"names [{index}, {name}], which no reading of this phase and rig has")
        elif (index, name) in seen:
            check.fault(f"{at}/rows", f"names [{index}, {name}] twice")
        else:
            of.append((reading, name))
        seen.add((index, name))
    _check_covariance(check, f"{at}/covariance", rig.data["covariance"], len(rows))
    if len(check.faults) == before:
        rig.of = tuple(of)


def _check_covariance(check: Checker, at: str, lines: list[list[float]], count: int) -> None:
    if len(lines) != count or any(len(line) != count for line in lines):
        check.fault(at, f"expected {count} lines of {count} numbers, one for each row")
        return
    matrix = np.array(lines, dtype=float)
    u = np.sqrt(np.maximum(matrix.diagonal(), 0.0))
    if not (u > 0).all():
        check.fault(at, "is not positive definite: expected variances above 0 along its diagonal")
        return
    shares = matrix / u[:, None] / u
    if np.abs(shares - shares.T).max() > _SAME:
        check.fault(at, "is not symmetric: expected the same number in line i, place j as in line j, place i")
        return
    try:
        np.linalg.cholesky(shares)
    except np.linalg.LinAlgError:
        check.fault(at, "is not positive definite: no errors of readings can be related like that")


def moved_down(readings: Sequence[Mapping[str, Any]], by: int) -> list[dict[str, Any]]:
    """Readings as they stand ``by`` places further down a job file: what names others by their place names them there."""
    return [
        {**one, "rows": [[place + by, name] for place, name in one["rows"]]} if one["kind"] == "rig" else dict(one)
        for one in readings
    ]
