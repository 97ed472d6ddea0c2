"""Threaded rods: a tie rod sets one wheel's toe, a drag link a whole axle's steering, a torque rod a beam's heading.

One full turn changes a rod's length by its pitch, or by twice the pitch where it has a right-hand thread at one end and a
left-hand thread at the other. Over the arm's length that is an angle.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.hardware.base import ACCESS, CHEAP, Hardware, How, angle, count

FLATS_PER_TURN = 6
"""A hexagon has six."""


@dataclass(frozen=True, kw_only=True)
class ThreadedRod(Hardware):
    """What threaded rods share.

    ``double`` for right and left-hand threads at the two ends; ``outer_thread`` is that of the end next to the wheel (or
    to the axle), ``seen_from`` whether the person looks along the rod from that end (``wheel``) or from the other
    (``middle``).
    """

    WORK = "rod"
    FASTENER = "lock nuts"
    PLAY = 0.25
    WORDS = {"outer_thread": ("right", "left"), "seen_from": ("wheel", "middle")}

    pitch_mm: float
    double: bool = False
    outer_thread: str = "right"
    seen_from: str = "wheel"
    reach_flats: int = 24
    cost: float = CHEAP

    @property
    def length_per_flat_mm(self) -> float:
        """By how much one flat changes the rod's length."""
        return self.pitch_mm * (2 if self.double else 1) / FLATS_PER_TURN

    def hand(self, flats: float) -> str:
        """Which way the hand turns, seen from where the person is. A positive count lengthens.

        In a right-hand outer thread a rod turned clockwise as seen from that end screws away from the viewer, out of the
        end, and so lengthens; seen from the other end the same turn is the other way round.
        """
        clockwise = (flats > 0) == (self.outer_thread == "right")
        return "clockwise" if clockwise == (self.seen_from == "wheel") else "anticlockwise"

    def say_thread(self) -> str:
        """The thread in words: "left-hand thread at the wheel's end, 1.25 mm pitch"."""
        ends = (
            "right and left-hand threads at its two ends"
            if self.double
            else f"{self.outer_thread}-hand thread at the wheel's end"
        )
        return f"{ends}, {self.pitch_mm:g} mm pitch"

    def how(self, start: float | str, end: float | str) -> How:
        flats = float(end) - float(start)
        seen = "the wheel towards the middle" if self.seen_from == "wheel" else "the middle towards the wheel"
        grows = "longer" if flats > 0 else "shorter"
        detail = f"Seen from {seen}; the rod gets {grows} ({self.say_thread()})."
        return How(count(flats, "flat"), self.hand(flats), detail)

    def _turned(self, effect: dict[str, float]) -> Adjuster:
        reach = float(self.reach_flats)
        return Adjuster(self.id, self.KIND, "flat", 1.0, -reach, reach, 0.0, self.cost, effect)


@dataclass(frozen=True, kw_only=True)
class TieRod(ThreadedRod):
    """The rod that sets one wheel's toe. ``arm_mm`` is from the steering (or pivot) axis to the rod, square to the rod;
    ``ahead`` where the rod lies ahead of the axle.
    """

    KIND: ClassVar[str] = "tie_rod"
    NAME: ClassVar[str] = "tie rod"

    arm_mm: float
    ahead: bool = False

    @property
    def toe_per_flat_deg(self) -> float:
        """By how much one flat that lengthens the rod changes the wheel's toe: in where the rod lies behind."""
        size = angle(self.length_per_flat_mm, self.arm_mm)
        return -size if self.ahead else size

    def adjuster(self) -> Adjuster:
        return self._turned({f"{self.wheel}/toe_deg": self.toe_per_flat_deg})


@dataclass(frozen=True, kw_only=True)
class DragLink(ThreadedRod):
    """The rod that steers a whole axle: from the steering box, or from one steer axle to the next. Its axle's wheels turn
    together; ``longer_turns`` says which way when it gets longer.
    """

    KIND: ClassVar[str] = "drag_link"
    NAME: ClassVar[str] = "drag link"
    SIDED = False
    WORDS = {**ThreadedRod.WORDS, "longer_turns": ("right", "left")}

    arm_mm: float
    longer_turns: str = "right"
    cost: float = 2.0

    def adjuster(self) -> Adjuster:
        turned = angle(self.length_per_flat_mm, self.arm_mm)
        return self._turned({f"axles/{self.axle}/bearing_deg": turned if self.longer_turns == "right" else -turned})


@dataclass(frozen=True, kw_only=True)
class TorqueRod(ThreadedRod):
    """A threaded rod that holds one end of a beam axle along the frame; the other end is the pivot, ``lever_mm`` across.
    ``ahead`` where the rod is anchored ahead of the axle, so that a longer rod pushes its end back.
    """

    KIND: ClassVar[str] = "torque_rod"
    NAME: ClassVar[str] = "torque rod"
    WORK = "beam"
    FASTENER = "torque rod clamps and lock nuts"

    lever_mm: float
    ahead: bool = True
    cost: float = ACCESS

    def adjuster(self) -> Adjuster:
        # An end that moves forward on the left turns the axle to the right.
        forward = -self.length_per_flat_mm if self.ahead else self.length_per_flat_mm
        return self._turned({f"axles/{self.axle}/bearing_deg": self.side_sign * angle(forward, self.lever_mm)})
