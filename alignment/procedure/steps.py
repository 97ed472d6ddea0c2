"""The ordered steps of a job, from vehicle, kit and school, as data that a screen or a printed sheet can show."""

from __future__ import annotations

import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from alignment.patterns import Pattern
from alignment.procedure.cautions import Circumstances
from alignment.procedure.kit import Kit
from alignment.procedure.schools import School, say_order
from alignment.procedure.stages import STAGES

_FILE = Path(__file__).parent / "steps.toml"


@dataclass(frozen=True)
class Step:
    """One thing to do. ``can_hurt`` is the caution at this step, ``gate`` the code of the gate that stands while it is not done."""

    stage: str
    do: str
    why: str = ""
    can_hurt: str = ""
    gate: str = ""


@cache
def _entries() -> tuple[dict[str, Any], ...]:
    return tuple(tomllib.loads(_FILE.read_text(encoding="utf-8"))["steps"])


def _fitting(about: Circumstances) -> Iterator[dict[str, Any]]:
    return (e for e in _entries() if about.fits(e.get("for"), e.get("needs"), e.get("with", ())))


def cautions(screen: str, about: Circumstances) -> tuple[str, ...]:
    """What can hurt at a stage (or at the ``sweep``, which has its own), fit to the vehicle, the kit and the method."""
    fitting = (e for e in _fitting(about) if e.get("screen", e["stage"]) == screen)
    found = tuple(dict.fromkeys(entry["can_hurt"] for entry in fitting if "can_hurt" in entry))
    if about.electric is None:
        return tuple(f"If it is electric: {_lowered(line)}" if line in _electric() else line for line in found)
    return found


def stage_steps(stage: str, about: Circumstances) -> tuple[tuple[str, str], ...]:
    """What is done at a stage, in order, each with why: fit to the vehicle, the kit and the method."""
    return tuple((e["do"], e.get("why", "")) for e in _fitting(about) if e["stage"] == stage)


@cache
def _electric() -> frozenset[str]:
    return frozenset(
        entry["can_hurt"] for entry in _entries() if "electric" in entry.get("with", ()) and "can_hurt" in entry
    )


def _lowered(line: str) -> str:
    return line[0].lower() + line[1:]


def circumstances(pattern: Pattern, kit: Kit, *, electric: bool | None = None) -> Circumstances:
    """What a vehicle of a pattern and a kit are."""
    runout = kit.data.get("runout")
    return Circumstances(
        group=pattern.group, light=bool(kit.data.get("light", True)), clamps=kit.rims_mm is not None,
        lifted=bool(runout and runout.get("lifted")), rolled=bool(runout and not runout.get("lifted")),
        steered=pattern.group != "trailer", electric=electric, kinds=kit.kinds,
    )  # fmt: skip


def steps(pattern: Pattern, kit: Kit, school: School) -> list[Step]:
    """Every step of a job on a vehicle of this pattern with this kit, in the order of the work."""
    found = [
        Step(entry["stage"], entry["do"], entry.get("why", ""), entry.get("can_hurt", ""), entry.get("gate", ""))
        for entry in _fitting(circumstances(pattern, kit))
    ]
    found += [Step("rig", f"{setup.title}. {line}") for setup in kit.setups(pattern.vehicle) for line in setup.hung]
    found.append(Step("set", say_order(pattern.vehicle, school)))
    found.append(Step("read", f"Know what this kit leaves open. {kit.data['cannot']}"))
    place = {stage.code: number for number, stage in enumerate(STAGES)}
    return sorted(found, key=lambda step: place[step.stage])
