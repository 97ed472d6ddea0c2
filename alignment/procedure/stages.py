"""The nine stages of a job, and the gates between them.

A gate warns and records; it never locks a person out of the truth.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


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


@dataclass(frozen=True)
class Facts:
    """What the gates look at. ``certificate_days`` is negative where the kit's certificate ran out, None without one."""

    certificate_days: int | None
    pressures_open: int
    clamps_open: tuple[str, ...]
    locked: str
    self_check: str
    before_saved: bool


@dataclass(frozen=True)
class Gate:
    """Something that should be done first: where to do it (``stage``), or go on and say why."""

    code: str
    text: str
    stage: str

    @property
    def slot(self) -> str:
        """The slot of the reason for going on."""
        return f"gate/{self.code}"


def _measuring(facts: Facts) -> Iterable[Gate]:
    if facts.certificate_days is None:
        yield Gate("certificate", "The kit has no certificate.", "rig")
    elif facts.certificate_days < 0:
        yield Gate("certificate", f"The kit's certificate ran out {-facts.certificate_days} days ago.", "rig")
    if facts.self_check != "yes":
        yield Gate("self-check", "The heads were not seen to pass their check on the bar.", "rig")
    if facts.pressures_open:
        yield Gate("pressures", f"{facts.pressures_open} tyre pressures are not checked.", "look")
    for name in facts.clamps_open:
        yield Gate(f"runout-{name.replace(' ', '-')}", f"Runout is not accepted on the {name}.", "roll")
    if facts.locked in ("", "no"):
        yield Gate("locked", "The steering wheel is not locked straight.", "roll")


def gates(stage: str, facts: Facts) -> tuple[Gate, ...]:
    """The gates that stand before a stage."""
    if stage == "read":
        return tuple(_measuring(facts))
    if stage == "set" and not facts.before_saved:
        return (Gate("before", "The before is not saved: once a rod is turned it cannot be read again.", "judge"),)
    return ()
