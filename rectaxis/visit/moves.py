"""Moves of adjusters, as positions and as words."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from alignment.adjust.hardware import Hardware
from rectaxis.record.models import Move
from rectaxis.record.snapshot import Snapshot


def position(one: Hardware, text: str) -> float | str:
    """A position as the core has it."""
    return text if one.adjuster().choices is not None else float(text)


def moved(moves: Iterable[Move], hardware: Iterable[Hardware]) -> list[Hardware]:
    """The adjusters that were moved, in the order of their first moves."""
    by_id = {one.id: one for one in hardware}
    return [by_id[name] for name in dict.fromkeys(move.adjuster for move in moves) if name in by_id]


def say_move(snapshot: Snapshot, hardware: Sequence[Hardware], move: Move) -> str:
    """A move in words: "left tie rod of the rear: 3 flats clockwise"."""
    one = next((one for one in hardware if one.id == move.adjuster), None)
    if one is None:
        return f"{move.adjuster}: from {move.start} to {move.end}"
    how = one.how(position(one, move.start), position(one, move.end))
    again = ", turned back" if move.undoes_id else ""
    return f"{snapshot.name_of(one)}: {how.amount} {how.way}{again}"
