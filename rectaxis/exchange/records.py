"""A visit's whole record as plain data, and plain data as a visit's record again: for another installation of this program."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.core.exceptions import FieldDoesNotExist, ValidationError
from django.core.serializers.base import DeserializationError
from django.core.serializers.python import Deserializer, Serializer
from django.db.models import Model

from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Entry, Event, Job, Mark, Move, Photo, Seal, Shot, Sighting, Signature
from rectaxis.record.seal import Statement
from rectaxis.record.slot import parse
from rectaxis.record.snapshot import Snapshot
from rectaxis.years.models import Happening

PARTS = (Entry, Event, Move, Shot, Sighting, Photo, Mark, Signature, Seal)
"""What is added to a job, in an order in which what points to others comes after them."""
_ELSEWHERE = ("kit", "further_kits", "simulation")
"""What of a job means nothing on another installation: its rig is kept as it was, with the kit's name and number."""
_PEOPLE = ("by", "technician")
Json = dict[str, Any]


class RecordsError(ValueError):
    """Data that is no record; the text says where."""


def record_of(job: Job) -> list[Json]:
    """A job and everything that was added to it."""
    found = _plain([job])
    for part in PARTS:
        found += _plain(part._default_manager.filter(job=job).order_by("sequence"))
    return found


def notes_of(notes: Iterable[Happening]) -> list[Json]:
    """What happened between visits."""
    return _plain(notes)


def _plain(objects: Iterable[Any]) -> list[Json]:
    rows: list[Json] = Serializer().serialize(objects)
    for row in rows:
        for name in _ELSEWHERE:
            row["fields"].pop(name, None)
    return rows


def people_in(rows: Iterable[Json]) -> set[int]:
    """The keys of the people that rows name."""
    return {row["fields"][name] for row in rows for name in _PEOPLE if row["fields"].get(name) is not None}


@dataclass(frozen=True)
class Ours:
    """What of ours rows are about: people and vehicles, by the keys that the rows have for them."""

    people: Mapping[int, User]
    vehicles: Mapping[str, Any]


def keep_visit(rows: Sequence[Json], ours: Ours) -> bool:
    """Keep a visit with all that was added to it, as it was; answers whether it was new. To one that is here nothing is added.

    **Raises** RecordsError for what is no record, or is part of another visit.
    """
    job, *parts = rows
    if _there(Job, job):
        return False
    for row in (job, *parts):
        if row is not job and row["fields"].get("job") != job["pk"]:
            raise RecordsError(f"{row.get('model')} {row.get('pk')} belongs to another visit")
        _keep(row, (Job,) if row is job else PARTS, ours)
    return True


def keep_notes(rows: Sequence[Json], ours: Ours) -> int:
    """Keep notes that are not there yet; answers with how many. **Raises** RecordsError."""
    new = [row for row in rows if not _there(Happening, row)]
    for row in new:
        _keep(row, (Happening,), ours)
    return len(new)


def _there(model: type[Model], row: Json) -> bool:
    try:
        return model._default_manager.filter(pk=row["pk"]).exists()
    except ValidationError:
        raise RecordsError(f"{row['pk']} is no key") from None


def _keep(row: Json, allowed: Sequence[type[Model]], ours: Ours) -> None:
    if row.get("model") not in {model._meta.label_lower for model in allowed}:
        raise RecordsError(f"expected a part of a visit, got {row.get('model')}")
    made = _made(row, ours)
    _check(made)
    # As it was, with its own times: what a model does by itself when it is saved was done where it was made.
    made.save_base(raw=True, force_insert=True)


def _made(row: Json, ours: Ours) -> Any:
    fields = dict(row["fields"])
    try:
        for name in _PEOPLE:
            if name in fields:
                fields[name] = ours.people[fields[name]].pk
        if "vehicle" in fields:
            fields["vehicle"] = ours.vehicles[fields["vehicle"]].pk
        (found,) = Deserializer([{**row, "fields": fields}])
    except (KeyError, TypeError, ValueError, DeserializationError, FieldDoesNotExist) as error:
        raise RecordsError(f"{row.get('model')} {row.get('pk')} cannot be read: {error}") from None
    return found.object


def _check(made: Any) -> None:
    """What pages take for granted of a record."""
    try:
        if isinstance(made, Job):
            Snapshot.of(made)
        if isinstance(made, Seal) and made.statement is not None:
            Statement.from_json(made.statement)
        if isinstance(made, Entry):
            parse(made.slot)
        made.clean_fields(exclude=[f.name for f in made._meta.fields if getattr(made, f.attname) in f.empty_values])
    except (RecordError, ValidationError, ValueError, TypeError) as error:
        raise RecordsError(f"{made._meta.label_lower} {made.pk} cannot be read: {error}") from None
