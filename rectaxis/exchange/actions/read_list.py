"""Read a list, say what its columns mean, have it taken, and undo that."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db import transaction
from procrastinate.contrib.django import app

from rectaxis.common.locks import locking
from rectaxis.exchange.kinds import KINDS
from rectaxis.exchange.kinds.base import FAULTY, NEW
from rectaxis.exchange.mapping import guessed, looked_at
from rectaxis.exchange.models import Import
from rectaxis.exchange.reading import TableError, read_table
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User


def read_list(person: User, kind: str, name: str, content: bytes) -> Import:
    """Keep a list with what its columns probably mean; nothing is taken yet. **Raises** PermissionDenied, TableError."""
    demand(allowed=may_work(person))
    if kind not in KINDS:
        raise TableError("Choose what the list is of.")
    table = read_table(name, content)
    return Import.objects.create(
        kind=kind, file_name=name[:120], table=table, columns=guessed(kind, table[0]), by=person
    )


@transaction.atomic
def say_columns(person: User, made: Import, columns: Sequence[str], usual: Mapping[str, str]) -> Import:
    """Say what the columns mean, and what holds for every line. **Raises** PermissionDenied, TableError."""
    demand(allowed=may_work(person))
    made = locking(Import).get(pk=made.pk)
    if made.status != Import.Status.READ:
        raise TableError(f"This list is {made.get_status_display()}.")
    known = {field.code for field in KINDS[made.kind].FIELDS}
    named = [code if code in known else "" for code in columns][: len(made.heads)]
    twice = {code for code in named if code and named.count(code) > 1}
    if twice:
        raise TableError(f"Two columns cannot both be the {' or the '.join(sorted(twice))}.")
    made.columns = named + [""] * (len(made.heads) - len(named))
    made.usual = {code: value for code, value in usual.items() if code in KINDS[made.kind].USUAL and value}
    made.save(update_fields=["columns", "usual"])
    return made


@transaction.atomic
def take_list(person: User, made: Import, *, leave_out: bool) -> Import:
    """Have the worker take a list: all of it, or all but the lines with faults. Twice is once. **Raises** PermissionDenied, TableError."""
    demand(allowed=may_work(person))
    made = locking(Import).get(pk=made.pk)
    if made.status in (Import.Status.WAITING, Import.Status.DONE):
        return made
    lines = looked_at(made)
    faulty = sum(line.becomes == FAULTY for line in lines)
    if faulty and not leave_out:
        raise TableError(f"{faulty} line{'s' if faulty > 1 else ''} cannot be taken: mend the file, or leave them out.")
    if not any(line.becomes == NEW for line in lines):
        raise TableError("Nothing in it is new.")
    made.leave_out, made.status = leave_out, Import.Status.WAITING
    made.save(update_fields=["leave_out", "status"])
    app.configure_task("take_list").defer(key=str(made.pk))
    return made


@transaction.atomic
def undo_list(person: User, made: Import) -> Import:
    """Take out again what a list made, all or nothing. **Raises** PermissionDenied, TableError where some of it is in use."""
    demand(allowed=may_work(person))
    made = locking(Import).get(pk=made.pk)
    if made.status != Import.Status.DONE:
        raise TableError(f"This list is {made.get_status_display()}.")
    kind = KINDS[made.kind]
    if used := kind.in_use(made.made):
        raise TableError(f"{used} of what was made {'is' if used == 1 else 'are'} in use by now: it cannot be undone.")
    kind.MODEL._default_manager.filter(pk__in=made.made).delete()
    made.status, made.said = Import.Status.UNDONE, ""
    made.save(update_fields=["status", "said"])
    return made
