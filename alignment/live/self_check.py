"""A kit's check of itself, as far as its devices can be asked: what is laid where, what they must say there, and what that tells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from alignment.live.measures import UNITS
from alignment.procedure.kit import kit

REVERSED = "reversed"


@dataclass(frozen=True)
class Check:
    """One step of a kit's self-check that a device measures: ``what``, in each of the ``poses`` (what a person does), and the
    ``limit`` of what it may be off by, in the unit of what is measured.

    ``reversed``: read, turned end for end and read again, so that half the sum is the device's own zero, whatever it was laid
    on (common practice, no source). ``zero``: it should say nought as it is laid, a part of them in each pose.
    """

    title: str
    how: str
    what: str
    poses: tuple[str, ...]
    limit: float

    @property
    def unit(self) -> str:
        return UNITS[self.what]

    def takes(self, key: str) -> bool:
        """Whether it is about what a device measures under a key, ``camber/1/left`` or ``sight/1/left/1`` (across)."""
        what, axle, _, *to = key.split("/")
        return what == self.what and (what != "sight" or to == [axle])

    def judge(self, taken: Sequence[Mapping[str, float]]) -> list[Told]:
        """What the numbers tell, one for each pose by its key. **Raises** ValueError where poses or devices are missing."""
        if len(taken) != len(self.poses):
            raise ValueError(f"expected numbers of {len(self.poses)} poses, got {len(taken)}")
        by_key: dict[str, list[float]] = {}
        for one in taken:
            for key, value in one.items():
                if self.takes(key):
                    by_key.setdefault(key, []).append(value)
        seldom = [key for key, values in by_key.items() if self.how == REVERSED and len(values) < len(taken)]
        if not by_key or seldom:
            raise ValueError(f"expected {self.what} of the same wheels in every pose, got {seldom or 'none'}")
        found = {key: sum(values) / len(values) for key, values in by_key.items()}
        return [Told(key, off, good=abs(off) <= self.limit) for key, off in found.items()]


class Told(NamedTuple):
    """What a check tells of one thing measured: by how much it is off, and whether that is within the limit."""

    key: str
    off: float
    good: bool


def checks_of(code: str) -> tuple[Check, ...]:
    """The checks that the devices of a kit of that code are asked for, in their order; none where it has none."""
    return tuple(
        Check(one["title"], one["how"], one["what"], tuple(one["poses"]), float(one["limit"]))
        for one in kit(code).data.get("checks", ())
    )
