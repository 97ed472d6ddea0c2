"""The nine stages of a job, and the gates between them.

A gate warns and records; it never locks a person out of the truth. What is unsafe stops the work until it is put right.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import NamedTuple


@dataclass(frozen=True)
class Stage:
    """A stage: its code, its verb, and what it is for."""

    code: str
    verb: str
    purpose: str


STAGES = (
    Stage("arrive", "Arrive", "Take the vehicle in: how far it has run, and why it came."),
    Stage("look", "Look over", "Make it fit to measure: tyres, play, wear."),
    Stage("rig", "Rig", "Hang the tools where they belong."),
    Stage("roll", "Roll", "Compensate for runout, then settle and lock."),
    Stage("read", "Read", "Read everything before anything is touched."),
    Stage("judge", "Judge", "What is inside, outside, or too close to say."),
    Stage("set", "Set", "Turn one thing at a time, rear first, and read again."),
    Stage("prove", "Prove", "Read everything again, and drive it."),
    Stage("hand-over", "Hand over", "Before and after, what was done and what was left."),
)


class Named(NamedTuple):
    """A part that a gate is about: what the record calls it, and its name in a sentence."""

    code: str
    name: str


@dataclass(frozen=True)
class Facts:
    """What the gates look at. ``certificate_days`` is negative where the kit's certificate ran out, None without one.

    ``self_check`` is ``passed``, ``failed`` or ``open``; ``rims_off`` are rim diameters in mm that the clamps do not hold;
    ``play_open`` are axles of which nobody has felt the joints and bearings, ``ride_open`` says that nobody has said anything
    of the ride height, ``straps_open`` that clamps are not strapped. ``not_tightened`` are adjusters that were moved and of which nobody wrote down what they were tightened to;
    ``odometer_was`` is an earlier visit's figure where the new one is lower.
    """

    certificate_days: int | None
    pressures_open: int
    clamps_open: tuple[Named, ...]
    locked: bool
    self_check: str
    before_saved: bool
    unsafe: tuple[Named, ...] = ()
    rims_off: tuple[float, ...] = ()
    ground_checked: bool = True
    odometer_was: float | None = None
    not_tightened: tuple[Named, ...] = ()
    play_open: tuple[Named, ...] = ()
    ride_open: bool = False
    straps_open: bool = False


@dataclass(frozen=True)
class Gate:
    """Something that should be done first: where to do it (``stage``), or go on and say why. A ``firm`` one is not passed with
    a reason: it is put right, or the job ends.

    ``code`` is the kind of gate and, after a slash, the part that it is about.
    """

    code: str
    text: str
    stage: str
    firm: bool = False


Stands = Iterable[tuple[str, str]]
"""Of a gate that stands: the part it is about (empty for none), and its sentence."""


@dataclass(frozen=True)
class GateRule:
    """One kind of gate: before which stage it stands, in which stage it is dealt with, and when it stands."""

    code: str
    before: str
    stage: str
    stands: Callable[[Facts], Stands]
    firm: bool = False

    def gates(self, facts: Facts) -> Iterator[Gate]:
        """The gates of this kind that stand."""
        for part, text in self.stands(facts):
            yield Gate(f"{self.code}/{part}" if part else self.code, text, self.stage, self.firm)


def _unsafe(facts: Facts) -> Stands:
    for part in facts.unsafe:
        yield part.code, f"Stop: {part.name} is marked unsafe. The job ends here, or is repaired first."


def _odometer(facts: Facts) -> Stands:
    if facts.odometer_was is not None:
        yield "", f"The odometer runs backward: {facts.odometer_was:,.0f} km were written before."


def _certificate(facts: Facts) -> Stands:
    if facts.certificate_days is None:
        yield "", "The kit has no certificate."
    elif facts.certificate_days < 0:
        yield "", f"The kit's certificate ran out {-facts.certificate_days} days ago."


def _self_check(facts: Facts) -> Stands:
    if facts.self_check == "failed":
        yield "", "The kit failed its own check: what it shows may be wrong."
    elif facts.self_check == "open":
        yield "", "The kit was not seen to pass its own check."


def _rims(facts: Facts) -> Stands:
    for rim in facts.rims_off:
        yield f"{rim:.0f}", f"The clamps are not made for a rim of {rim:.0f} mm."


def _ground(facts: Facts) -> Stands:
    if not facts.ground_checked:
        yield "", "Nobody has looked whether the ground is level."


def _pressures(facts: Facts) -> Stands:
    if facts.pressures_open:
        yield "", f"{facts.pressures_open} tyre pressures are not checked."


def _play(facts: Facts) -> Stands:
    for part in facts.play_open:
        yield part.code, f"Nobody has felt for play on {part.name}: worn joints make every angle doubtful."


def _ride(facts: Facts) -> Stands:
    if facts.ride_open:
        yield "", "Nobody has said whether the maker asks for a ride height."


def _straps(facts: Facts) -> Stands:
    if facts.straps_open:
        yield "", "The clamps are not strapped to the wheels."


def _runout(facts: Facts) -> Stands:
    for part in facts.clamps_open:
        yield part.code, f"Runout is not accepted on the {part.name}."


def _locked(facts: Facts) -> Stands:
    if not facts.locked:
        yield "", "The steering wheel is not locked straight."


def _before(facts: Facts) -> Stands:
    if not facts.before_saved:
        yield "", "The before is not saved: once something is moved it cannot be read again."


def _tight(facts: Facts) -> Stands:
    for part in facts.not_tightened:
        yield part.code, f"Nobody wrote down what the {part.name} was tightened to."


GATES = (
    GateRule("unsafe", "read", "look", _unsafe, firm=True),
    GateRule("odometer", "read", "arrive", _odometer),
    GateRule("certificate", "read", "rig", _certificate),
    GateRule("self-check", "read", "rig", _self_check),
    GateRule("rim", "read", "rig", _rims),
    GateRule("ground", "read", "rig", _ground),
    GateRule("pressures", "read", "look", _pressures),
    GateRule("play", "read", "look", _play),
    GateRule("ride", "read", "look", _ride),
    GateRule("straps", "read", "rig", _straps),
    GateRule("runout", "read", "roll", _runout),
    GateRule("locked", "read", "roll", _locked),
    GateRule("before", "set", "judge", _before),
    GateRule("tight", "prove", "set", _tight),
)
"""Every kind of gate, in the order in which they are told."""


def gates(stage: str, facts: Facts) -> tuple[Gate, ...]:
    """The gates that stand before a stage."""
    return tuple(gate for rule in GATES if rule.before == stage for gate in rule.gates(facts))


def all_gates(facts: Facts) -> tuple[Gate, ...]:
    """Every gate that stands, before whichever stage."""
    return tuple(gate for rule in GATES for gate in rule.gates(facts))
