"""What can hurt someone, said at the step where it can. General care; the maker's figures and local rules come first.

The sentences are those of the steps (steps.toml), and only those that fit the vehicle, the kit and the method: a caution that
does not fit teaches people to skip cautions.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple


class Circumstances(NamedTuple):
    """What vehicle, kit and method are. ``electric`` is None where nobody has said.

    ``light`` is a kit with beams, ``clamps`` one that is clamped to wheels, ``lifted`` a runout with wheels off the ground,
    ``rolled`` one rolled on it, ``air`` a vehicle that may stand on air springs.
    """

    group: str = "van"
    light: bool = True
    clamps: bool = True
    lifted: bool = True
    rolled: bool = False
    steered: bool = True
    electric: bool | None = None
    kinds: frozenset[str] = frozenset()

    @property
    def air(self) -> bool:
        """Whether it may stand on air springs."""
        return self.group in ("truck", "bus", "trailer")

    @property
    def unsteered(self) -> bool:
        """Whether nobody steers it: a trailer."""
        return not self.steered

    def fits(self, groups: Iterable[str] | None, needs: Iterable[str] | None, words: Iterable[str]) -> bool:
        """Whether a step is for this vehicle, kit and method. Where nobody has said, a car or van may be electric."""
        if groups is not None and self.group not in groups:
            return False
        if needs is not None and not any(kind in self.kinds for kind in needs):
            return False
        return all(self._is(word) for word in words)

    def _is(self, word: str) -> bool:
        if word == "electric" and self.electric is None:
            return self.group in ("car", "van")
        return bool(getattr(self, word))


MOVES: dict[str, tuple[str, ...]] = {
    "rod": (
        "Hold the rod's end while the lock nut is loosened. Set the gaiter's clip straight again, so that it does not twist.",
        "Lock nuts and thread lock as the maker says: this program does not know the torque, and asks you for it.",
    ),
    "arm": (
        "The wheel hangs free: on a stand, never on the jack alone.",
        "Do not take the bolt out of its hole. Tighten to the maker's figure, the vehicle standing on its wheels where the maker asks.",
    ),
    "beam": (
        "Chocks first: the axle cannot move until its brakes are released, and then nothing holds the vehicle.",
        "Frame on stands. Hands clear while the axle is pushed; a ram holds its force until it is let off.",
        "If the pump suddenly needs force, something is bound: stop and look. U-bolts and rods to the maker's figure.",
    ),
}
"""Sentences at the move itself, by the sort of work that it is."""
AIR = "An air spring can drop or push without warning: let its air off, or keep out from under the frame."
"""At a move of an axle or an arm that may stand on air."""


def move_cautions(work: str, about: Circumstances) -> tuple[str, ...]:
    """What can hurt at a move."""
    return (*MOVES[work], *((AIR,) if about.air and work in ("beam", "arm") else ()))
