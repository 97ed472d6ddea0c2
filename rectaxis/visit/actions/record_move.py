"""Record that an adjuster was moved, that it was turned back, or that a move was mistyped and never made."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from uuid import UUID

from alignment.adjust.hardware import Hardware
from rectaxis.common.keys import made_key
from rectaxis.people.models import User
from rectaxis.record.errors import KeyUsedError, RecordError
from rectaxis.record.models import Job, Move
from rectaxis.record.slot import Phase
from rectaxis.record.writing import Book, known, writing
from rectaxis.sources.choose import source_of
from rectaxis.visit.actions.stop_if_unsafe import stop_if_unsafe
from rectaxis.visit.moves import position
from rectaxis.visit.visit import Visit

MOST_UNITS = 60
"""Nobody turns a rod by more at once."""


class MoveError(RecordError):
    """A move that cannot be recorded; the text says why."""


def record_move(person: User, job: Job, key: object, adjuster: str, *, by: str = "", to: str = "") -> Move:
    """Record a move of an adjuster ``by`` a number of its units, or ``to`` one of its choices. The same key twice is one move.

    **Raises** PermissionDenied, ValueError.
    """
    with _open(person, job) as (book, visit):
        made = made_key(key)
        one = _adjuster(visit, adjuster)
        repeat = _repeat(book, made, adjuster)
        if repeat is not None:
            return repeat
        start = _stands(book.job, one)
        return _record(book, Move(pk=made, start=start, end=_end(one, start, by.strip(), to.strip())), one)


def undo_move(person: User, job: Job, key: object, move_id: UUID) -> Move:
    """Record that an adjuster was turned back to where it stood before its last move, which is a move of its own.

    **Raises** PermissionDenied, ValueError.
    """
    with _open(person, job) as (book, visit):
        made = made_key(key)
        move = _recorded(visit, move_id)
        repeat = _repeat(book, made, move.adjuster)
        if repeat is not None:
            return repeat
        if _last(visit, move.adjuster) != move or move.undoes_id:
            raise MoveError("Only the last move of an adjuster can be turned back; reload the page.")
        one = _adjuster(visit, move.adjuster)
        return _record(book, Move(pk=made, start=move.end, end=move.start, undoes=move), one)


def strike_move(person: User, job: Job, key: object, move_id: UUID) -> Move:
    """Record that the last move of an adjuster was mistyped and never made: what was read stays valid.

    **Raises** PermissionDenied, ValueError.
    """
    with _open(person, job) as (book, visit):
        made = made_key(key)
        move = _recorded(visit, move_id)
        repeat = _repeat(book, made, move.adjuster)
        if repeat is not None:
            return repeat
        if _last(visit, move.adjuster) != move:
            raise MoveError("Only the last move of an adjuster can be struck; reload the page.")
        one = _adjuster(visit, move.adjuster)
        return _record(book, Move(pk=made, start=move.end, end=move.start, strikes=move), one)


@contextmanager
def _open(person: User, job: Job) -> Iterator[tuple[Book, Visit]]:
    """The record, open for moves: two people who turn at once are recorded one after the other."""
    with writing(person, job) as book:
        visit = Visit(book.job)
        if Phase.AFTER in book.sealed:
            raise MoveError("The after is saved and sealed; what is turned now is a new visit's.")
        stop_if_unsafe(visit)
        yield book, visit


def _recorded(visit: Visit, move_id: UUID) -> Move:
    move = next((move for move in visit.journal.all_moves if move.pk == move_id), None)
    if move is None:
        raise MoveError("This job has no such move; reload the page.")
    return move


def _last(visit: Visit, adjuster: str) -> Move | None:
    """The last move of an adjuster that counts."""
    return next((move for move in reversed(visit.journal.moves) if move.adjuster == adjuster), None)


def _adjuster(visit: Visit, name: str) -> Hardware:
    one = next((one for one in visit.hardware if one.id == name), None)
    if one is None:
        raise MoveError("This vehicle has no such adjuster; reload the page.")
    return one


def _repeat(book: Book, key: UUID, adjuster: str) -> Move | None:
    """The move that was recorded under a key before. **Raises** KeyUsedError where it was another."""
    found = known(Move, key, book.job)
    if found is not None and found.adjuster != adjuster:
        raise KeyUsedError
    return found


def _stands(job: Job, one: Hardware) -> str:
    newest = Move.objects.filter(job=job, adjuster=one.id).order_by("-sequence").first()
    return newest.end if newest else _text(one.adjuster().installed)


def _text(at: float | str) -> str:
    return at if isinstance(at, str) else f"{at:g}"


def _end(one: Hardware, start: str, by: str, to: str) -> str:
    """Where the move ends, as text. **Raises** MoveError."""
    adjuster = one.adjuster()
    if adjuster.choices is not None:
        if to not in adjuster.choices or to == start:
            raise MoveError(f"Expected another of {', '.join(adjuster.choices)}, got {to or 'nothing'}.")
        return to
    try:
        size = float(by.replace(",", ".").replace("\u2212", "-"))
    except ValueError:
        size = math.nan
    if not 0 < abs(size) <= MOST_UNITS or not (size / adjuster.step * 2).is_integer():
        expected = (
            f"Expected up to {MOST_UNITS} {adjuster.units}, one way or the other, in steps of {adjuster.step / 2:g}"
        )
        raise MoveError(f"The move was not recorded: {expected}, got {by or 'nothing'}.")
    end = float(start) + size
    if one.HARD_ENDS and not adjuster.minimum <= end <= adjuster.maximum:
        raise MoveError(
            f"The move was not recorded: it would end at {end:g}, and it goes from {adjuster.minimum:g} to {adjuster.maximum:g}."
        )
    return f"{end:g}"


def _record(book: Book, move: Move, one: Hardware) -> Move:
    adjuster = one.adjuster()
    there, here = (adjuster.effect_at(position(one, text)) for text in (move.end, move.start))
    move.axle, move.adjuster = one.axle, one.id
    move.effect = {path: there.get(path, 0.0) - here.get(path, 0.0) for path in {**here, **there}}
    book.add(move)
    source_of(book.job).answer_to(one, move.effect)
    return move
