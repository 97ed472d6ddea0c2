"""Lists by key: a page begins after the last row of the one before, so that the hundredth costs what the first costs."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar
from uuid import UUID

from django.db.models import Model, Q, QuerySet

Row = TypeVar("Row", bound=Model)
Ranked = TypeVar("Ranked")
MOST_COUNTED = 1_000


@dataclass(frozen=True)
class Page(Generic[Row]):
    """Some rows of a list, newest first. ``older`` is what the address of the next page says as ``before``; empty at the end."""

    rows: tuple[Row, ...]
    older: str
    first: bool

    def __iter__(self) -> Iterator[Row]:
        return iter(self.rows)


def page_of(found: QuerySet[Row], by: str, before: str, size: int) -> Page[Row]:
    """The rows that are older than ``before``, by a time field and then by key. One that says nothing sensible begins at the newest."""
    at = _place(before)
    if at is not None:
        found = found.filter(Q(**{f"{by}__lt": at[0]}) | Q(**{by: at[0], "pk__lt": at[1]}))
    rows = list(found.order_by(f"-{by}", "-pk")[: size + 1])
    last = rows[size - 1] if len(rows) > size else None
    older = f"{getattr(last, by).isoformat()}~{last.pk}" if last is not None else ""
    return Page(tuple(rows[:size]), older, at is None)


@dataclass(frozen=True)
class Part(Generic[Ranked]):
    """Some rows of a ranking. ``after`` is the key of the last, and empty at the end; ``place`` is that of the first in the whole, from 1."""

    rows: tuple[Ranked, ...]
    after: str
    place: int

    def __iter__(self) -> Iterator[Ranked]:
        return iter(self.rows)

    @property
    def last(self) -> int:
        """The place of its last row in the whole."""
        return self.place + len(self.rows) - 1


def part_of(ranked: Sequence[Ranked], key_of: Callable[[Ranked], object], after: str, size: int) -> Part[Ranked]:
    """The rows after the one whose key is ``after``; from the first on where no row has that key (it may have left the ranking)."""
    start = next((place + 1 for place, one in enumerate(ranked) if str(key_of(one)) == after), 0) if after else 0
    rows = tuple(ranked[start : start + size])
    return Part(rows, str(key_of(rows[-1])) if start + size < len(ranked) else "", start + 1)


def counted(found: QuerySet[Any]) -> str:
    """How many there are, in words: no further than is worth counting."""
    count = found.order_by()[: MOST_COUNTED + 1].count()
    return f"more than {MOST_COUNTED:,}" if count > MOST_COUNTED else f"{count:,}"


def _place(said: str) -> tuple[dt.datetime, UUID] | None:
    """A time with its zone and a key; None where it is none."""
    when, _, key = said.partition("~")
    try:
        at = dt.datetime.fromisoformat(when)
        # In UTC: a time at the end of the calendar has none there, and the database takes no zone that is a day off.
        return (at.astimezone(dt.UTC), UUID(key)) if at.tzinfo else None
    except (ValueError, OverflowError):
        return None
