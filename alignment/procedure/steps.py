"""The ordered steps of a job, from vehicle, kit and school, as data that a screen or a printed sheet can show."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from alignment.patterns import Pattern
from alignment.procedure.kit import Kit
from alignment.procedure.schools import School, say_order
from alignment.procedure.stages import STAGES

_FILE = Path(__file__).parent / "steps.toml"


@dataclass(frozen=True)
class Step:
    """One thing to do. ``can_hurt`` is the caution at this step, ``gate`` what is left open where it is not done."""

    stage: str
    do: str
    why: str = ""
    can_hurt: str = ""
    gate: str = ""


@cache
def _entries() -> tuple[dict[str, Any], ...]:
    return tuple(tomllib.loads(_FILE.read_text(encoding="utf-8"))["steps"])


def steps(pattern: Pattern, kit: Kit, school: School) -> list[Step]:
    """Every step of a job on a vehicle of this pattern with this kit, in the order of the work."""
    found = [
        Step(entry["stage"], entry["do"], entry.get("why", ""), entry.get("can_hurt", ""), entry.get("gate", ""))
        for entry in _entries()
        if pattern.group in entry.get("for", (pattern.group,)) and _given(entry.get("needs"), kit)
    ]
    found += [Step("rig", f"{setup.title}. {line}") for setup in kit.setups(pattern.vehicle) for line in setup.hang]
    found.append(Step("set", say_order(pattern.vehicle, school)))
    found.append(Step("read", f"Know what this kit leaves open. {kit.data['cannot']}"))
    place = {stage.code: number for number, stage in enumerate(STAGES)}
    return sorted(found, key=lambda step: place[step.stage])


def _given(needs: Iterable[str] | None, kit: Kit) -> bool:
    return needs is None or any(kind in kit.kinds for kind in needs)
