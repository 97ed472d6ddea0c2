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
    """What the gates look at. ``certificate_days`` is negative where the kit's certificate ran out, None without one.

    ``self_check`` is ``passed``, ``failed`` or ``open``; ``rims_off`` are rim diameters in mm that the clamps do not hold;
    ``not_tightened`` are adjusters that were moved and of which nobody wrote down what they were tightened to;
    ``odometer_was`` is an earlier visit's figure where the new one is lower.
    """

    certificate_days: int | None
    pressures_open: int
    clamps_open: tuple[str, ...]
    locked: bool
    self_check: str
    before_saved: bool
    unsafe: tuple[str, ...] = ()
    rims_off: tuple[float, ...] = ()
    ground_checked: bool = True
    odometer_was: float | None = None
    not_tightened: tuple[str, ...] = ()


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
    for name in facts.unsafe:
        yield Gate(
            f"unsafe-{_code(name)}", f"Stop: {name} is marked unsafe. The job ends here, or is repaired first.", "look"
        )
    if facts.odometer_was is not None:
        yield Gate(
            "odometer", f"The odometer runs backward: {facts.odometer_was:,.0f} km were written before.", "arrive"
        )
    yield from _of_the_kit(facts)
    if facts.pressures_open:
        yield Gate("pressures", f"{facts.pressures_open} tyre pressures are not checked.", "look")
    for name in facts.clamps_open:
        yield Gate(f"runout-{_code(name)}", f"Runout is not accepted on the {name}.", "roll")
    if not facts.locked:
        yield Gate("locked", "The steering wheel is not locked straight.", "roll")


def _code(name: str) -> str:
    return "-".join("".join(c if c.isalnum() else " " for c in name.lower()).split())[:60]


def _of_the_kit(facts: Facts) -> Iterable[Gate]:
    if facts.certificate_days is None:
        yield Gate("certificate", "The kit has no certificate.", "rig")
    elif facts.certificate_days < 0:
        yield Gate("certificate", f"The kit's certificate ran out {-facts.certificate_days} days ago.", "rig")
    if facts.self_check == "failed":
        yield Gate("self-check", "The kit failed its own check: what it shows may be wrong.", "rig")
    elif facts.self_check == "open":
        yield Gate("self-check", "The kit was not seen to pass its own check.", "rig")
    for rim in facts.rims_off:
        yield Gate(f"rim-{rim:.0f}", f"The clamps are not made for a rim of {rim:.0f} mm.", "rig")
    if not facts.ground_checked:
        yield Gate("ground", "Nobody has looked whether the ground is level.", "rig")


def gates(stage: str, facts: Facts) -> tuple[Gate, ...]:
    """The gates that stand before a stage."""
    if stage == "read":
        return tuple(_measuring(facts))
    if stage == "set" and not facts.before_saved:
        return (Gate("before", "The before is not saved: once something is moved it cannot be read again.", "judge"),)
    if stage == "prove":
        return tuple(
            Gate(f"tight-{_code(name)}", f"Nobody wrote down what the {name} was tightened to.", "set")
            for name in facts.not_tightened
        )
    return ()
