"""Threaded rods. On independent wheels two tie rods set a wheel's toe each. A beam that steers has one track rod across, which
sets the total toe of both wheels, and a drag link, which turns both together. A torque or radius rod turns a beam, a
Panhard rod shifts it.

One full turn changes a rod's length by its pitch, or by twice the pitch where it has a right-hand thread at one end and a
left-hand thread at the other. Over the arm's length that is an angle. Where nobody has measured pitch or arm, what a flat
does is taken for what is usual, with much doubt: the first move teaches it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.hardware.base import ACCESS, CHEAP, Hardware, How, angle, count, length

FLATS_PER_TURN = 6
"""A hexagon has six."""
UNMEASURED_DOUBT = 0.5
"""How badly a flat's effect is known where pitch or arm was not measured; an assumption, no source."""


@dataclass(frozen=True, kw_only=True)
class ThreadedRod(Hardware):
    """What threaded rods share.

    ``double`` for right and left-hand threads at the two ends; ``outer_thread`` is that of the end next to the wheel (or
    to the axle), ``seen_from`` whether the person looks along the rod from that end (``wheel``) or from the other
    (``middle``). ``ENDS`` are the two ends in words, ``USUAL`` what one flat does where it was not measured, degrees (or
    mm); common practice, no source. ``STEP`` is the least that is worth turning, flats.
    """

    WORK = "rod"
    FASTENER = "lock nuts"
    PLAY = 0.25
    WORDS = {"outer_thread": ("right", "left"), "seen_from": ("wheel", "middle")}
    ENDS: ClassVar[tuple[str, str]] = ("the axle", "the other end")
    USUAL: ClassVar[float]
    STEP: ClassVar[float] = 1.0

    pitch_mm: float | None = None
    double: bool = False
    outer_thread: str = "right"
    seen_from: str = "wheel"
    reach_flats: int = 24
    cost: float = CHEAP

    @property
    def lever(self) -> float | None:
        """What the rod turns at its end, mm; None where nobody measured it."""
        return getattr(self, "arm_mm", None)

    @property
    def measured(self) -> bool:
        """Whether what a flat does follows from dimensions."""
        return self.pitch_mm is not None and self.lever is not None

    @property
    def doubt(self) -> float:
        return self.DOUBT if self.measured else UNMEASURED_DOUBT

    @property
    def length_per_flat_mm(self) -> float:
        """By how much one flat changes the rod's length; 0 where the pitch is not known."""
        return (self.pitch_mm or 0.0) * (2 if self.double else 1) / FLATS_PER_TURN

    @property
    def per_flat(self) -> float:
        """The angle that one flat turns, degrees."""
        return angle(self.length_per_flat_mm, self.lever) if self.measured and self.lever else self.USUAL

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
            else f"{self.outer_thread}-hand thread at {self.ENDS[0]}"
        )
        return f"{ends}, " + ("pitch not measured" if self.pitch_mm is None else f"{length(self.pitch_mm)} pitch")

    def how(self, start: float | str, end: float | str) -> How:
        flats = float(end) - float(start)
        here, there = self.ENDS if self.seen_from == "wheel" else self.ENDS[::-1]
        grows = "longer" if flats > 0 else "shorter"
        detail = f"Seen from {here} towards {there}; the rod gets {grows} ({self.say_thread()})."
        return How(count(flats, "flat"), self.hand(flats), detail)

    def _turned(self, effect: dict[str, float]) -> Adjuster:
        reach = float(self.reach_flats)
        return Adjuster(self.id, self.KIND, "flat", self.STEP, -reach, reach, 0.0, self.cost, effect)


@dataclass(frozen=True, kw_only=True)
class TieRod(ThreadedRod):
    """The rod that sets one wheel's toe, on wheels that are hung independently. ``arm_mm`` is from the steering (or pivot) axis
    to the rod, square to the rod; ``ahead`` where the rod lies ahead of the axle.
    """

    KIND: ClassVar[str] = "tie_rod"
    NAME: ClassVar[str] = "tie rod"
    ENDS = ("the wheel", "the middle")
    USUAL = 0.1

    arm_mm: float | None = None
    ahead: bool = False

    @property
    def toe_per_flat_deg(self) -> float:
        """By how much one flat that lengthens the rod changes the wheel's toe: in where the rod lies behind."""
        return -self.per_flat if self.ahead else self.per_flat

    def adjuster(self) -> Adjuster:
        return self._turned({f"{self.wheel}/toe_deg": self.toe_per_flat_deg})


@dataclass(frozen=True, kw_only=True)
class TrackRod(ThreadedRod):
    """The one rod across a beam that steers: a longer one turns both wheels in where it lies behind the axle, out where it lies
    ``ahead``; which way they point together stays. ``arm_mm`` is from the king pin to the rod. Its outer end is the left one.
    """

    KIND: ClassVar[str] = "track_rod"
    NAME: ClassVar[str] = "track rod"
    ENDS = ("its left end", "its right end")
    SIDED = False
    USUAL = 0.15
    STEP = 0.5

    arm_mm: float | None = None
    ahead: bool = False
    double: bool = True

    def adjuster(self) -> Adjuster:
        return self._turned({f"axles/{self.axle}/total_toe_deg": -self.per_flat if self.ahead else self.per_flat})


@dataclass(frozen=True, kw_only=True)
class DragLink(ThreadedRod):
    """The rod that steers a whole axle: from the steering box, or from one steer axle to the next. Its axle's wheels turn
    together; ``longer_turns`` says which way when it gets longer. ``carries`` is a second steer axle that hangs on its axle
    and turns with it; 0 for none.
    """

    KIND: ClassVar[str] = "drag_link"
    NAME: ClassVar[str] = "drag link"
    SIDED = False
    WORDS = {**ThreadedRod.WORDS, "longer_turns": ("right", "left")}
    USUAL = 0.08

    arm_mm: float | None = None
    longer_turns: str = "right"
    carries: int = 0
    cost: float = 2.0

    def adjuster(self) -> Adjuster:
        turned = self.per_flat if self.longer_turns == "right" else -self.per_flat
        axles = (self.axle, self.carries) if self.carries else (self.axle,)
        return self._turned({f"axles/{axle}/bearing_deg": turned for axle in axles})


@dataclass(frozen=True, kw_only=True)
class TorqueRod(ThreadedRod):
    """A threaded rod that holds one end of a beam axle along the frame; the other end is the pivot, ``lever_mm`` across.
    ``ahead`` where the rod is anchored ahead of the axle, so that a longer rod pushes its end back.
    """

    KIND: ClassVar[str] = "torque_rod"
    NAME: ClassVar[str] = "torque rod"
    WORK = "beam"
    FASTENER = "torque rod clamps and lock nuts"
    USUAL = 0.02

    lever_mm: float | None = None
    ahead: bool = True
    cost: float = ACCESS

    @property
    def lever(self) -> float | None:
        return self.lever_mm

    def adjuster(self) -> Adjuster:
        # An end that moves forward on the left turns the axle to the right.
        forward = -self.per_flat if self.ahead else self.per_flat
        return self._turned({f"axles/{self.axle}/bearing_deg": self.side_sign * forward})


@dataclass(frozen=True, kw_only=True)
class RadiusRod(TorqueRod):
    """The same on a beam that steers: turned by itself it also twists the beam, so that caster is read again."""

    KIND: ClassVar[str] = "radius_rod"
    NAME: ClassVar[str] = "radius rod"
    FASTENER = "radius rod lock nuts"

    def adjuster(self) -> Adjuster:
        one = super().adjuster()
        leans = {f"axles/{self.axle}/{side}/caster_deg": 0.0 for side in ("left", "right")}
        return self._turned({**one.effect, **leans})


@dataclass(frozen=True, kw_only=True)
class PanhardRod(ThreadedRod):
    """The rod that holds a beam axle sideways: it shifts the axle, and nothing else worth reading. ``longer_moves`` says to which
    side when it gets longer.
    """

    KIND: ClassVar[str] = "panhard_rod"
    NAME: ClassVar[str] = "Panhard rod"
    WORK = "beam"
    FASTENER = "Panhard rod's lock nuts"
    SIDED = False
    WORDS = {**ThreadedRod.WORDS, "longer_moves": ("right", "left")}
    USUAL = 0.25

    longer_moves: str = "right"
    cost: float = 2.0

    @property
    def measured(self) -> bool:
        return self.pitch_mm is not None

    def adjuster(self) -> Adjuster:
        moved = self.length_per_flat_mm if self.measured else self.USUAL
        return self._turned({f"axles/{self.axle}/offset_mm": moved if self.longer_moves == "right" else -moved})
