"""The strips: one number line for each judged angle, as plain data for a template.

A row that was judged carries its words, so that a strip of last year is drawn as it was, whatever the core says today.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import msgspec

Words = dict[str, str]
"""A text by angle style."""
WIDTH = 170
_PAD = 10
WORDS = {"inside": "inside", "undecided": "too close to say", "outside": "outside", "undetermined": "not measured"}


class Judged(msgspec.Struct, frozen=True, kw_only=True):
    """One judged result: its verdict by code, its numbers in degrees or mm, and how they are said.

    It stands under the heading ``title`` of the axle ``axle``. ``doubt`` is the expanded uncertainty, ``beyond`` by how much a
    bound is exceeded, ``earlier`` the value before, ``earlier_verdict`` its verdict and ``earlier_doubt`` its uncertainty. Where nothing was measured there are no numbers and no texts; ``unread`` says
    what is known of it all the same: that it was outside before, and was not adjusted.
    """

    axle: int
    title: str
    label: str
    quantity: str
    verdict: str
    path: str = ""
    value: float | None = None
    expanded: float | None = None
    low: float | None = None
    high: float | None = None
    preferred: float | None = None
    earlier: float | None = None
    text: Words = {}
    doubt: Words = {}
    beyond: Words = {}
    earlier_text: Words = {}
    earlier_verdict: str = ""
    earlier_expanded: float | None = None
    earlier_doubt: Words = {}
    limits: Words = {}
    unread: str = ""
    moved: bool = False
    """Whether it was adjusted since the before."""

    @property
    def stands(self) -> str:
        """The verdict that holds: the before's where it was not read again and nothing moved it."""
        return self.earlier_verdict if self.unread and not self.moved else self.verdict


@dataclass(frozen=True)
class Strip:
    """One strip, in pixels of a drawing WIDTH wide. Positions that are None are not drawn."""

    label: str
    verdict: str
    word: str
    text: str
    doubt: str
    low: float | None
    high: float | None
    preferred: float | None
    dot: float | None
    whisker: tuple[float, float] | None
    earlier: float | None
    earlier_text: str
    path: str = ""
    earlier_verdict: str = ""
    earlier_doubt: str = ""
    limits: str = ""
    width: int = WIDTH
    then: str = ""
    """What is said after the value before: its verdict."""
    past: str = ""
    """The end of the strip that the value lies beyond, ``left`` or ``right``: its sign then stands there and says so."""


@dataclass(frozen=True)
class StripGroup:
    """The strips of an axle. ``terms`` are words that appear here for the first time, each with what it means."""

    name: str
    strips: tuple[Strip, ...]
    terms: tuple[tuple[str, str], ...] = ()


def strip_groups(rows: Iterable[Judged], style: str = "deg") -> list[StripGroup]:
    """Strips grouped by axle, the rear first."""
    titles: dict[int, str] = {}
    groups: dict[int, list[Strip]] = {}
    for row in rows:
        titles[row.axle] = row.title
        groups.setdefault(row.axle, []).append(_strip(row, style))
    return [StripGroup(titles[axle], tuple(strips)) for axle, strips in sorted(groups.items(), reverse=True)]


def _strip(row: Judged, style: str) -> Strip:
    scale, beyond = _Scale(row), row.beyond.get(style, "")
    return Strip(
        label=row.label,
        verdict=row.verdict,
        word=f"outside by {beyond}" if beyond else row.unread or WORDS[row.verdict],
        text=row.text.get(style, ""),
        doubt=row.doubt.get(style, ""),
        low=scale.at(row.low),
        high=scale.at(row.high),
        preferred=scale.at(row.preferred),
        dot=scale.at(row.value),
        whisker=None if row.value is None else scale.whisker(row.value, row.expanded or 0.0),
        earlier=scale.at(row.earlier),
        earlier_text=row.earlier_text.get(style, ""),
        path=row.path,
        earlier_verdict=WORDS.get(row.earlier_verdict, ""),
        then=f", {WORDS[row.earlier_verdict]}" if row.earlier_verdict in WORDS else "",
        earlier_doubt=row.earlier_doubt.get(style, ""),
        limits=row.limits.get(style, ""),
        past=scale.past(row.value),
    )


class _Scale:
    """Places numbers on a strip: the tolerance takes the middle half, what lies far out is drawn at the end."""

    def __init__(self, row: Judged) -> None:
        known = [bound for bound in (row.low, row.high, row.preferred) if bound is not None]
        centre = (min(known) + max(known)) / 2 if known else 0.0
        half = (max(known) - min(known)) / 2 if known else 0.0
        self._start = centre - 2 * (half or 0.1)
        self._span = 4 * (half or 0.1)

    def at(self, value: float | None) -> float | None:
        if value is None:
            return None
        x = _PAD + (WIDTH - 2 * _PAD) * (value - self._start) / self._span
        return round(min(max(x, 5.0), WIDTH - 5.0), 1)

    def past(self, value: float | None) -> str:
        """The end beyond which a value lies, empty where it lies on the strip."""
        if value is None or self._start <= value <= self._start + self._span:
            return ""
        return "left" if value < self._start else "right"

    def whisker(self, value: float, expanded: float) -> tuple[float, float]:
        low, high = self.at(value - expanded), self.at(value + expanded)
        return (low or 0.0, high or 0.0)
