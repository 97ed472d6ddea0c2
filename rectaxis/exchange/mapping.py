"""Which column means what: guessed by its name, as it was said the last time, or as somebody says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rectaxis.exchange.kinds import KINDS
from rectaxis.exchange.kinds.base import Line
from rectaxis.exchange.models import Import


def guessed(kind: str, heads: Sequence[str]) -> list[str]:
    """A field for each column, empty where none is meant: as for the last list with the same columns, else by the columns' names."""
    last = Import.objects.filter(kind=kind, table__0=list(heads)).exclude(columns=[]).order_by("-at").first()
    if last is not None:
        return list(last.columns)
    taken: set[str] = set()
    found = []
    for head in heads:
        name = " ".join(head.casefold().replace("_", " ").replace("-", " ").split())
        field = next(
            (one.code for one in KINDS[kind].FIELDS
             if one.code not in taken and name in (one.code, one.name.casefold(), *(c.replace("-", " ") for c in one.called))), ""
        )  # fmt: skip
        taken.add(field)
        found.append(field)
    return found


def looked_at(made: Import) -> list[Line]:
    """Every line of a list as it is understood now."""
    kind = KINDS[made.kind]
    places = {code: number for number, code in enumerate(made.columns) if code}
    usual: Mapping[str, str] = made.usual
    given = [
        {field.code: (line[places[field.code]] if field.code in places else "") or usual.get(field.code, "") for field in kind.FIELDS}
        for line in made.lines
    ]  # fmt: skip
    return kind.lines(given)
