"""Errors of the core: the data is in attributes, the text is made from the data."""

from __future__ import annotations

from typing import NamedTuple

_LONGEST_SHOWN = 30


class AlignmentError(Exception):
    """Base of every error that the core raises on purpose."""


class Fault(NamedTuple):
    """One thing wrong with a job file.

    ``pointer`` is an RFC 6901 JSON pointer, empty for the file as a whole.
    """

    pointer: str
    message: str

    def __str__(self) -> str:
        line = f"{self.pointer}: {self.message}"
        return line if line.isascii() and line.isprintable() else line.encode("unicode_escape").decode("ascii")


class JobFileError(AlignmentError, ValueError):
    """A job file is refused; ``faults`` lists the reasons that were found, of very many the first."""

    def __init__(self, faults: list[Fault]) -> None:
        self.faults = faults
        super().__init__("\n".join(str(fault) for fault in faults))


class TypedValueError(AlignmentError, ValueError):
    """What a person typed cannot be read as the value that was asked for."""

    def __init__(self, typed: str, expected: str) -> None:
        self.typed = typed
        self.expected = expected
        shown = typed if len(typed) <= _LONGEST_SHOWN else typed[:_LONGEST_SHOWN] + "…"
        super().__init__(f"Cannot read “{shown}”. Type {expected}.")


class SpecificationError(AlignmentError, ValueError):
    """A row of a specification cannot be used: ``field`` names what is wrong with it."""

    def __init__(self, field: str, reason: str) -> None:
        self.field = field
        self.reason = reason
        super().__init__(f"{field}: {reason}")


class UnknownWordError(AlignmentError, ValueError):
    """A code that is not in its list."""

    def __init__(self, got: str, known: list[str]) -> None:
        self.got, self.known = got, known
        super().__init__(got)

    def __str__(self) -> str:
        return f"expected one of {', '.join(self.known)}, got “{self.got}”"


class UnknownQuantityError(AlignmentError, KeyError):
    """A quantity was asked for that this vehicle does not have."""

    def __init__(self, path: str) -> None:
        self.path = path
        super().__init__(path)

    def __str__(self) -> str:
        return f"this vehicle has no quantity “{self.path}”"
