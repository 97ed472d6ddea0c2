"""The parts of a job file, each checked and made into what the core works with."""

from __future__ import annotations

import itertools
from functools import cache
from typing import Any

from alignment.checker import MOST_DEG, MOST_MM, Checker, Keys
from alignment.jobfile.rigs import check_matrix, check_rigs, check_rows
from alignment.judge.verdict import Rule
from alignment.model.vehicle import (
    ROLES,
    SIDES,
    Axle,
    Datum,
    Vehicle,
    default_datum,
    default_thrust_axle,
    may_have_thrust_axle,
)
from alignment.quantities import QUANTITIES
from alignment.readings import KINDS, Reading
from alignment.readings.base import CLAMP, UNCERTAINTIES, ZERO, Field
from alignment.readings.gauges import Runout

PHASES = ("before", "after")


def parse_vehicle(check: Checker, value: object) -> Vehicle | None:
    """The vehicle of a job file; None where it is too faulty to check the rest against."""
    before = len(check.faults)
    if not check.keys("/vehicle", value, ("axles",), ("thrust_axle", "kingpin_mm")):
        return None
    assert isinstance(value, dict)  # noqa: S101 - the line above has just checked it
    entries = check.items("/vehicle/axles", value.get("axles", [])) if "axles" in value else []
    if "axles" in value and isinstance(value["axles"], list) and not entries:
        check.fault("/vehicle/axles", "expected at least one axle, got none")
    parsed = [_parse_axle(check, f"/vehicle/axles/{index}", entry, index + 1) for index, entry in enumerate(entries)]
    axles = tuple(axle for axle in parsed if axle is not None)
    if not axles or len(axles) < len(parsed):
        return None
    _check_positions(check, axles)
    kingpin = check.length("/vehicle/kingpin_mm", value["kingpin_mm"]) if "kingpin_mm" in value else None
    thrust = default_thrust_axle(axles)
    if "thrust_axle" in value:
        thrust = check.axle("/vehicle/thrust_axle", value["thrust_axle"], len(axles))
        if thrust is not None and not may_have_thrust_axle(axles):
            check.fault("/vehicle/thrust_axle", "this vehicle has no thrust axle: it has one axle, or all steer")
    return Vehicle(axles, thrust, kingpin) if len(check.faults) == before else None


def _parse_axle(check: Checker, at: str, entry: object, number: int) -> Axle | None:
    before = len(check.faults)
    if not check.keys(at, entry, ("role", "position_mm", "track_mm"), ("rigid", "steers", "raised")):
        return None
    assert isinstance(entry, dict)  # noqa: S101 - the line above has just checked it
    role = check.word(f"{at}/role", entry["role"], ROLES) if "role" in entry else None
    position = check.length(f"{at}/position_mm", entry["position_mm"]) if "position_mm" in entry else None
    track = check.length(f"{at}/track_mm", entry["track_mm"], above_zero=True) if "track_mm" in entry else None
    rigid = bool(check.flag(f"{at}/rigid", entry["rigid"])) if "rigid" in entry else False
    steers = bool(check.flag(f"{at}/steers", entry["steers"])) if "steers" in entry else role == "steer"
    raised = bool(check.flag(f"{at}/raised", entry["raised"])) if "raised" in entry else False
    if rigid and steers:
        check.fault(f"{at}/rigid", "an axle that steers cannot be rigid")
    if len(check.faults) > before or role is None or position is None or track is None:
        return None
    return Axle(number, role, position, track, rigid, steers, raised)


def _check_positions(check: Checker, axles: tuple[Axle, ...]) -> None:
    if axles[0].position_mm != 0:
        check.fault("/vehicle/axles/0/position_mm", f"expected 0 for the first axle, got {axles[0].position_mm:g}")
    for index, (front, rear) in enumerate(itertools.pairwise(axles), start=1):
        if rear.position_mm <= front.position_mm:
            message = f"expected more than {front.position_mm:g}, the axle ahead, got {rear.position_mm:g}"
            check.fault(f"/vehicle/axles/{index}/position_mm", message)


def parse_datum(check: Checker, document: dict[str, Any], vehicle: Vehicle) -> Datum | None:
    """The datum of a job file, or the vehicle's default where it names none."""
    if "datum" not in document:
        return default_datum(vehicle)
    value, count = document["datum"], len(vehicle.axles)
    if not isinstance(value, dict):
        check.fault("/datum", f"expected an object, got {check.shown(value)}")
        return None
    extra = {"axles": ("front", "rear"), "frame": (), "kingpin": ("axle",)}
    kind = check.word("/datum/kind", value["kind"], extra) if "kind" in value else None
    if kind is None:
        if "kind" not in value:
            check.fault("/datum/kind", "is missing")
        return None
    check.keys("/datum", value, ("kind", *extra[kind]))
    if kind == "frame":
        return Datum("frame")
    numbers = {key: check.axle(f"/datum/{key}", value[key], count) for key in extra[kind] if key in value}
    if kind == "kingpin":
        if vehicle.kingpin_mm is None:
            check.fault("/datum/kind", "names the king pin, but the vehicle has no kingpin_mm")
        return Datum("kingpin", None, numbers.get("axle"))
    front, rear = numbers.get("front"), numbers.get("rear")
    if front is not None and rear is not None and front >= rear:
        check.fault("/datum/front", f"expected an axle ahead of axle {rear}, got {front}")
    return Datum("axles", front, rear)


def parse_readings(check: Checker, value: object, vehicle: Vehicle) -> list[Reading]:
    """The readings of a job file, each of its kind."""
    readings: dict[int, Reading] = {}
    grounds: set[str] = set()
    zeros: dict[tuple[str, str], float] = {}
    carriers: dict[tuple[str, str], tuple[int, object]] = {}
    for index, entry in enumerate(check.items("/readings", value)):
        at = f"/readings/{index}"
        reading = _parse_reading(check, at, entry, vehicle)
        if reading is None:
            continue
        readings[index] = reading
        if reading.KIND == "ground":
            if reading.phase in grounds:
                check.fault(at, f"the phase {reading.phase} already has a ground; keep one of them")
            grounds.add(reading.phase)
        _check_mount(check, at, reading, carriers)
        _check_tools(check, at, reading, zeros)
    check_rigs(check, readings)
    return list(readings.values())


def _check_tools(check: Checker, at: str, reading: Reading, zeros: dict[tuple[str, str], float]) -> None:
    """Readings that name one gauge give its zero one uncertainty; a line square to the datum hangs on no clamp."""
    if CLAMP.name in reading.data and reading.data.get("square_to") == "datum":
        check.fault(
            f"{at}/{CLAMP.name}", "belongs to beams square to the wheels; a line square to the datum has no clamps"
        )
    if reading.gauge is None:
        if ZERO.name in reading.data:
            check.fault(f"{at}/{ZERO.name}", "is the doubt of a gauge's zero: expected a gauge beside it")
        return
    first = zeros.setdefault((reading.phase, reading.gauge), reading.zero_u_deg)
    if first != reading.zero_u_deg:
        check.fault(
            f"{at}/{ZERO.name}",
            f"expected {first:g}, as the first reading with this gauge has it, got {reading.zero_u_deg:g}",
        )


def _check_mount(
    check: Checker, at: str, reading: Reading, carriers: dict[tuple[str, str], tuple[int, object]]
) -> None:
    """A mount name stands for scales on one carrier, read from one axle; frame and king pin count as one."""
    if "mount" not in reading.data:
        return
    on = reading.data["on"]
    mounted = (reading.axle, "frame" if on == "kingpin" else on)
    first = carriers.setdefault((reading.phase, reading.data["mount"]), mounted)
    if first != mounted:
        check.fault(f"{at}/mount", "this mount is already in use on another axle or carrier; give it a name of its own")


@cache
def _keys_of(kind: type[Reading], unit_key: tuple[str, ...]) -> Keys:
    """The keys that a reading of a kind must have, and those that it may have."""
    common = ("phase", "kind", "axle") if kind.ON_AXLE else ("phase", "kind")
    required = (*common, *(field.name for field in kind.FIELDS if field.required))
    return Keys(required, (*unit_key, "as_read", *(field.name for field in kind.FIELDS if not field.required)))


def _parse_reading(check: Checker, at: str, entry: object, vehicle: Vehicle) -> Reading | None:
    before = len(check.faults)
    if not isinstance(entry, dict):
        check.fault(at, f"expected an object, got {check.shown(entry)}")
        return None
    if "kind" not in entry:
        check.fault(f"{at}/kind", "is missing")
        return None
    name = check.word(f"{at}/kind", entry["kind"], KINDS)
    if name is None:
        return None
    kind = KINDS[name]
    unit_key = kind.u_keys(entry)
    keys = _keys_of(kind, unit_key)
    if not keys.fit(entry):
        check.keys(at, entry, keys.required, keys.optional)
    if "phase" in entry:
        check.word(f"{at}/phase", entry["phase"], PHASES)
    axle = check.axle(f"{at}/axle", entry["axle"], len(vehicle.axles)) if kind.ON_AXLE and "axle" in entry else None
    for field in (*(UNCERTAINTIES[key] for key in unit_key), *kind.FIELDS):
        if field.name in entry and not _plainly_good(field, entry[field.name]):
            _check_field(check, f"{at}/{field.name}", entry[field.name], field, vehicle, axle)
    _check_groups(check, at, entry, kind)
    if kind.STEERS and axle is not None and not vehicle.axle(axle).steers:
        check.fault(f"{at}/axle", f"expected an axle that steers for {name}, got axle {axle}")
    return kind(entry) if len(check.faults) == before else None


_LIMITS = {"length": MOST_MM, "angle": MOST_DEG}


def _plainly_good(field: Field, value: object) -> bool:
    """Whether a value is a good number beyond doubt, as nearly all are: then no pointer need be made for it."""
    most = _LIMITS.get(field.what)
    if most is None or not (type(value) is float or type(value) is int):
        return False
    return 0 < value <= most if field.above_zero else -most <= value <= most


def _check_groups(check: Checker, at: str, entry: dict[str, Any], kind: type[Reading]) -> None:
    """Optional fields that come all or not at all, and groups of which exactly one is given."""
    if not (kind.EITHER or kind.TOGETHER):
        return
    groups = [group for group in kind.EITHER if any(name in entry for name in group)]
    if kind.EITHER and not groups:
        choices = " or ".join(" with ".join(group) for group in kind.EITHER)
        check.fault(f"{at}/{kind.EITHER[0][0]}", f"is missing: expected {choices}")
    for extra in groups[1:]:
        check.fault(f"{at}/{extra[0]}", f"expected either {groups[0][0]} or {extra[0]}, got both")
    for group in (*groups[:1], *kind.TOGETHER):
        if any(name in entry for name in group):
            for name in group:
                if name not in entry:
                    check.fault(f"{at}/{name}", f"is missing: {' and '.join(group)} belong together")


def _check_field(check: Checker, at: str, value: object, field: Field, vehicle: Vehicle, axle: int | None) -> None:
    match field.what:
        case "length":
            check.length(at, value, above_zero=field.above_zero)
        case "angle":
            check.angle(at, value, above_zero=field.above_zero)
        case "word":
            check.word(at, value, field.words)
        case "side":
            check.word(at, value, SIDES)
        case "text":
            check.text(at, value)
        case "carrier":
            _check_carrier(check, at, value, vehicle, axle)
        case "axle" | "any axle":
            _check_other_axle(check, at, value, vehicle, axle if field.what == "axle" else None)
        case "vector":
            _check_vector(check, at, value, some_length=field.above_zero)
        case several:
            _LISTS[several](check, at, value)


def _check_carrier(check: Checker, at: str, value: object, vehicle: Vehicle, axle: int | None) -> None:
    if isinstance(value, int) and not isinstance(value, bool):
        _check_other_axle(check, at, value, vehicle, axle)
    elif value not in ("frame", "kingpin") or not isinstance(value, str):
        check.fault(at, f"expected frame, kingpin or the number of another axle, got {check.shown(value)}")
    elif value == "kingpin" and vehicle.kingpin_mm is None:
        check.fault(at, "names the king pin, but the vehicle has no kingpin_mm")


def _check_other_axle(check: Checker, at: str, value: object, vehicle: Vehicle, axle: int | None) -> None:
    if check.axle(at, value, len(vehicle.axles)) == axle and axle is not None:
        check.fault(at, f"expected another axle than the reading's own, got {value}")


def _check_vector(check: Checker, at: str, value: object, *, some_length: bool) -> None:
    """Three numbers; with ``some_length`` not all of them zero."""
    parts = check.items(at, value)
    if isinstance(value, list) and len(parts) != 3:  # noqa: PLR2004 - x, y, z
        check.fault(at, f"expected three numbers, got {len(parts)}")
        return
    numbers = [check.length(f"{at}/{index}", part) for index, part in enumerate(parts)]
    if some_length and numbers and all(number == 0 for number in numbers):
        check.fault(at, "expected a direction, got an axis of no length")


_POSITION_KEYS = Keys(
    (field.name for field in Runout.POSITION_FIELDS if field.required),
    (field.name for field in Runout.POSITION_FIELDS if not field.required),
)


def _check_rolls(check: Checker, at: str, value: object) -> None:
    rolls = check.items(at, value)
    if isinstance(value, list) and not rolls:
        check.fault(at, "expected at least one position, got none")
    fields = Runout.POSITION_FIELDS
    for index, entry in enumerate(rolls):
        fits = isinstance(entry, dict) and _POSITION_KEYS.fit(entry)
        if fits or check.keys(f"{at}/{index}", entry, _POSITION_KEYS.required, _POSITION_KEYS.optional):
            for field in fields:
                if field.name in entry and not _plainly_good(field, entry[field.name]):
                    check.angle(f"{at}/{index}/{field.name}", entry[field.name])


_LISTS = {"positions": _check_rolls, "rows": check_rows, "matrix": check_matrix}
"""What checks the fields that are lists of their own form."""


def parse_rules(check: Checker, value: object, vehicle: Vehicle, names: frozenset[str]) -> list[Rule]:
    """The rows of a specification."""
    entries = check.items("/spec", value)
    rules = [_parse_rule(check, f"/spec/{index}", entry, vehicle, names) for index, entry in enumerate(entries)]
    return [rule for rule in rules if rule is not None]


_SUBJECT_KEYS: dict[str, tuple[str, ...]] = {
    "wheel": ("axle", "side"),
    "axle": ("axle",),
    "pair": ("axles",),
    "vehicle": (),
}


def _parse_rule(check: Checker, at: str, entry: object, vehicle: Vehicle, names: frozenset[str]) -> Rule | None:
    before = len(check.faults)
    if not isinstance(entry, dict):
        check.fault(at, f"expected an object, got {check.shown(entry)}")
        return None
    quantity = check.word(f"{at}/quantity", entry["quantity"], QUANTITIES) if "quantity" in entry else None
    if quantity is None:
        if "quantity" not in entry:
            check.fault(f"{at}/quantity", "is missing")
        return None
    subject = _SUBJECT_KEYS[QUANTITIES[quantity].scope]
    # A subject that does not belong may be written as null, as the verdicts write it.
    given = {key: item for key, item in entry.items() if item is not None or key not in ("axle", "side", "axles")}
    check.keys(at, given, ("quantity", *subject), ("min", "max", "preferred"))
    bound = check.length if QUANTITIES[quantity].unit == "mm" else check.angle
    bounds = {key: bound(f"{at}/{key}", given[key]) for key in ("min", "max", "preferred") if key in given}
    low, high = bounds.get("min"), bounds.get("max")
    if low is not None and high is not None and low > high:
        check.fault(f"{at}/min", f"expected at most the maximum {high:g}, got {low:g}")
    axle = (
        check.axle(f"{at}/axle", given["axle"], len(vehicle.axles)) if "axle" in subject and "axle" in given else None
    )
    side = check.word(f"{at}/side", given["side"], SIDES) if "side" in subject and "side" in given else None
    axles = (
        _parse_pair(check, f"{at}/axles", given["axles"], vehicle) if "axles" in subject and "axles" in given else None
    )
    rule = Rule(quantity, axle, side, axles, low, high, bounds.get("preferred"))
    known = {"axle": axle, "side": side, "axles": axles}
    if all(known[key] is not None for key in subject) and rule.path not in names:
        check.fault(f"{at}/{'axles' if axles else 'quantity'}", f"this vehicle has no {quantity} there")
    return rule if len(check.faults) == before else None


def _parse_pair(check: Checker, at: str, value: object, vehicle: Vehicle) -> tuple[int, int] | None:
    entries = check.items(at, value)
    if isinstance(value, list) and len(entries) != 2:  # noqa: PLR2004 - a pair
        check.fault(at, f"expected two axles, got {len(entries)}")
        return None
    numbers = [check.axle(f"{at}/{index}", entry, len(vehicle.axles)) for index, entry in enumerate(entries)]
    if len(numbers) != 2 or numbers[0] is None or numbers[1] is None:  # noqa: PLR2004 - a pair
        return None
    return numbers[0], numbers[1]
