"""The JSON Schema of the job file (draft 2020-12), made from the same field tables that check it."""

from __future__ import annotations

from typing import Any

from alignment.checker import MOST_DEG, MOST_MM
from alignment.jobfile import FORMAT, VERSION
from alignment.jobfile.parsing import PHASES
from alignment.jobfile.rigs import ROWS
from alignment.model.vehicle import ROLES, SIDES
from alignment.quantities import QUANTITIES
from alignment.readings import KINDS, Reading
from alignment.readings.base import UNCERTAINTIES, Field
from alignment.readings.gauges import Runout

LENGTH = {"type": "number", "minimum": -MOST_MM, "maximum": MOST_MM}
ANGLE = {"type": "number", "minimum": -MOST_DEG, "maximum": MOST_DEG}
AXLE = {"type": "integer", "minimum": 1}


def _object(required: dict[str, Any], optional: dict[str, Any] | None = None) -> dict[str, Any]:
    return {
        "type": "object",
        "properties": required | (optional or {}),
        "required": list(required),
        "additionalProperties": False,
    }


def _above_zero(number: dict[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in number.items() if key != "minimum"} | {"exclusiveMinimum": 0}


def _field(field: Field) -> dict[str, Any]:
    match field.what:
        case "length":
            return _above_zero(LENGTH) if field.above_zero else LENGTH
        case "angle":
            return _above_zero(ANGLE) if field.above_zero else ANGLE
        case "word":
            return {"enum": list(field.words)}
        case "side":
            return {"enum": list(SIDES)}
        case "axle" | "any axle":
            return AXLE
        case "vector":
            return {"type": "array", "items": LENGTH, "minItems": 3, "maxItems": 3}
        case "carrier":
            return {"anyOf": [{"enum": ["frame", "kingpin"]}, AXLE]}
        case "text":
            return {"type": "string", "minLength": 1}
        case several:
            return {"type": "array", "minItems": 1, "items": _ITEMS[several]}


def _fields(fields: tuple[Field, ...]) -> dict[str, Any]:
    return _object(
        {f.name: _field(f) for f in fields if f.required}, {f.name: _field(f) for f in fields if not f.required}
    )


_ROW = [{"type": "integer", "minimum": 0}, {"enum": list(ROWS)}]
_ITEMS: dict[str, dict[str, Any]] = {
    "positions": _fields(Runout.POSITION_FIELDS),
    "rows": {"type": "array", "prefixItems": _ROW, "minItems": 2, "maxItems": 2},
    "matrix": {"type": "array", "minItems": 1, "items": LENGTH},
}
"""The items of the fields that are lists of their own form."""


def _reading(kind: type[Reading]) -> dict[str, Any]:
    common: dict[str, Any] = {"phase": {"enum": list(PHASES)}, "kind": {"const": kind.KIND}}
    if kind.ON_AXLE:
        common["axle"] = AXLE
    given = [dict.fromkeys(group) for group in kind.EITHER] or [{}]
    u = {key: _field(UNCERTAINTIES[key]) for fields in given for key in kind.u_keys(fields)}
    required = {f.name: _field(f) for f in kind.FIELDS if f.required}
    optional = {f.name: _field(f) for f in kind.FIELDS if not f.required}
    schema = {"title": kind.TITLE} | _object(common | required, u | optional | {"as_read": True})
    if kind.EITHER:
        schema["oneOf"] = [{"required": list(group)} for group in kind.EITHER]
    if kind.TOGETHER:
        schema["dependentRequired"] = {name: list(group) for group in kind.TOGETHER for name in group}
    return schema


def _rule() -> dict[str, Any]:
    subject = {
        "axle": {"anyOf": [AXLE, {"type": "null"}]},
        "side": {"enum": [*SIDES, None]},
        "axles": {"anyOf": [{"type": "array", "items": AXLE, "minItems": 2, "maxItems": 2}, {"type": "null"}]},
    }
    bounds = {"min": LENGTH, "max": LENGTH, "preferred": LENGTH}
    return _object({"quantity": {"enum": list(QUANTITIES)}}, subject | bounds)


def _adjuster() -> dict[str, Any]:
    words = {"kind": {"type": "string", "minLength": 1}, "unit": {"type": "string", "minLength": 1}}
    effect = {"type": "object", "additionalProperties": LENGTH}
    counted = _object(
        {"id": {"type": "string", "minLength": 1}, "effect": effect, "min": LENGTH, "max": LENGTH},
        words | {"step": _above_zero(LENGTH), "installed": LENGTH, "cost": {"type": "number"}},
    )
    chosen = _object(
        {"id": {"type": "string", "minLength": 1}, "choices": {"type": "object", "additionalProperties": effect}},
        words | {"installed": {"type": ["number", "string"]}, "cost": {"type": "number"}},
    )
    return {"anyOf": [counted, chosen]}


def job_schema() -> dict[str, Any]:
    """The schema as a JSON object. What it cannot say (that an axle exists) is checked on reading all the same."""
    axle = _object(
        {"role": {"enum": list(ROLES)}, "position_mm": LENGTH, "track_mm": _above_zero(LENGTH)},
        {name: {"type": "boolean"} for name in ("rigid", "steers", "raised")},
    )
    vehicle = _object(
        {"axles": {"type": "array", "items": axle, "minItems": 1}}, {"thrust_axle": AXLE, "kingpin_mm": LENGTH}
    )
    datum = {
        "oneOf": [
            _object({"kind": {"const": "axles"}, "front": AXLE, "rear": AXLE}),
            _object({"kind": {"const": "frame"}}),
            _object({"kind": {"const": "kingpin"}, "axle": AXLE}),
        ]
    }
    readings = {"type": "array", "items": {"oneOf": [_reading(kind) for kind in KINDS.values()]}}
    document = _object(
        {"format": {"const": FORMAT}, "version": {"const": VERSION}, "vehicle": vehicle},
        {
            "datum": datum,
            "readings": readings,
            "spec": {"type": "array", "items": _rule()},
            "adjusters": {"type": "array", "items": _adjuster()},
        },
    )
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Rectaxis job file"} | document
