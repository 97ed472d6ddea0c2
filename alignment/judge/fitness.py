"""What a reader of a report asks first: is the alignment in order. From the verdicts of a phase and from what was found unsafe.

It says nothing of whether a vehicle is roadworthy: that is for those licensed where it runs.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass

UNSAFE, OUTSIDE, UNSURE, PARTLY, IN_ORDER, UNKNOWN = "unsafe", "outside", "unsure", "partly", "in-order", "unknown"
WORST_FIRST = (UNSAFE, OUTSIDE, UNSURE, PARTLY, UNKNOWN, IN_ORDER)
"""The codes as vehicles are put in order: those that need somebody most come first."""
VERDICTS_WORST_FIRST = ("outside", "undecided", "undetermined", "inside")
_CODES = (OUTSIDE, UNSURE, PARTLY)


@dataclass(frozen=True)
class Fitness:
    """One of the codes above; of ``judged`` results with figures, ``count`` are what the code says (0 for ``unknown``), and ``missing``
    were not measured.
    """

    code: str
    judged: int
    count: int
    missing: int = 0


def fitness(verdicts: Collection[str], *, unsafe: bool = False) -> Fitness:
    """The worst that holds: unsafe, then a result outside, then one too close to say, then one not measured.

    ``verdicts`` are the codes of ``judge/verdict.py``. Nothing judged, or nothing measured, is ``unknown``.
    """
    judged = len(verdicts)
    if unsafe:
        return Fitness(UNSAFE, judged, judged)
    missing = _count(verdicts, "undetermined")
    if missing == judged:
        return Fitness(UNKNOWN, judged, 0, missing)
    for verdict, code in zip(VERDICTS_WORST_FIRST, _CODES, strict=False):
        if count := _count(verdicts, verdict):
            return Fitness(code, judged, count, missing)
    return Fitness(IN_ORDER, judged, judged)


def worst(verdicts: Iterable[str]) -> str:
    """The worst of some verdicts, empty where there is none."""
    here = set(verdicts)
    return next((verdict for verdict in VERDICTS_WORST_FIRST if verdict in here), "")


def _count(verdicts: Collection[str], wanted: str) -> int:
    return sum(1 for verdict in verdicts if verdict == wanted)
