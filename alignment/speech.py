"""How a reader wants the sides of a vehicle and lengths named: what sentences, labels and tables follow.

As with a translation, whoever asks for words says once whom they are for, and every sentence made within follows.
What is stored, compared or written to a file is by code and in millimetres, whoever reads.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import NamedTuple

from alignment.errors import UnknownWordError

MM_PER_INCH = 25.4
"""Exact by the definition of the inch (1959)."""

SIDE_NAMES = {
    "left-right": {"left": "left", "right": "right"},
    "traffic-left": {"left": "nearside", "right": "offside"},
    "traffic-right": {"left": "offside", "right": "nearside"},
}
"""What the sides are called, by code. The nearside is the one at the kerb, so it depends on where the traffic keeps."""
LENGTHS = ("mm", "in")
"""Units in which lengths are said, by code."""


class Speech(NamedTuple):
    """Whom words are for: what the sides are called, and the unit of lengths, each by code."""

    sides: str = "left-right"
    lengths: str = "mm"


_PLAIN = Speech()
_speech: ContextVar[Speech] = ContextVar("speech", default=_PLAIN)


@contextmanager
def speaking(speech: Speech) -> Iterator[None]:
    """Words made within follow ``speech``. **Raises** UnknownWordError for a code that there is not."""
    for code, known in ((speech.sides, SIDE_NAMES), (speech.lengths, LENGTHS)):
        if code not in known:
            raise UnknownWordError(code, sorted(known))
    token = _speech.set(speech)
    try:
        yield
    finally:
        _speech.reset(token)


def side_name(side: str) -> str:
    """What the side ``left`` or ``right`` of the vehicle is called. Directions stay left and right: see ``say``."""
    return SIDE_NAMES[_speech.get().sides][side]


def of_sides(text: str) -> str:
    """A text with ``{left}`` and ``{right}`` replaced by what the sides are called."""
    return text.replace("{left}", side_name("left")).replace("{right}", side_name("right"))


def say_length(mm: float, decimals: int = 1) -> str:
    """The size of a length: "1.4 mm" or "0.055 in". ``decimals`` are those of the millimetres; an inch has two more."""
    if _speech.get().lengths == "in":
        return f"{abs(mm) / MM_PER_INCH:.{decimals + 2}f} in"
    return f"{abs(mm):.{decimals}f} mm"
