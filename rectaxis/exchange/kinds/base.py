"""What each kind of list says of itself: its fields, what is wrong with a line, and what is made of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from django.db.models import Model

from rectaxis.people.models import User

NEW, THERE, FAULTY = "new", "there already", "cannot be taken"


@dataclass(frozen=True)
class Field:
    """A field: its code, its name, whether every line needs it, and what columns of other programs are called that mean it."""

    code: str
    name: str
    needed: bool = False
    called: tuple[str, ...] = ()


@dataclass(frozen=True)
class Line:
    """A line as it was understood: its number, what it becomes (NEW, THERE or FAULTY), and its faults, each with how to mend it."""

    number: int
    given: Mapping[str, str]
    becomes: str
    faults: tuple[str, ...] = ()
    made: Any = None


class Kind:
    """A kind of list. ``USUAL`` are fields that may be chosen once for all lines instead."""

    CODE: ClassVar[str]
    NAME: ClassVar[str]
    FIELDS: ClassVar[tuple[Field, ...]]
    USUAL: ClassVar[tuple[str, ...]] = ()
    MODEL: ClassVar[type[Model]]

    def choices(self, code: str) -> Sequence[tuple[str, str]]:
        """What may be chosen once for all lines, by what is kept of it."""
        raise NotImplementedError

    def lines(self, given: Iterable[Mapping[str, str]]) -> list[Line]:
        """Every line, looked at; nothing is made yet."""
        raise NotImplementedError

    def make(self, lines: Sequence[Line], by: User) -> list[str]:
        """Make what is new, all or nothing; answers with the keys of what was made."""
        raise NotImplementedError

    def in_use(self, keys: Sequence[str]) -> int:
        """How many of what was made are in use, and cannot be taken out again."""
        raise NotImplementedError
