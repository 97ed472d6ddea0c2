"""Adjusters as the job file gives them: what one unit, or each choice, does to the state."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from alignment.checker import Checker

MOST_SETTINGS = 1000
_NEARLY = 1e-9


@dataclass(frozen=True)
class Adjuster:
    """One adjuster. ``effect`` is the change of each named quantity for one unit, degrees or millimetres.

    With ``choices`` instead, each names its own effects and there are no units to count.
    """

    id: str
    kind: str = ""
    unit: str = ""
    step: float = 1.0
    minimum: float = 0.0
    maximum: float = 0.0
    installed: float | str = 0.0
    cost: float = 1.0
    effect: Mapping[str, float] = field(default_factory=dict)
    choices: Mapping[str, Mapping[str, float]] | None = None

    @property
    def positions(self) -> tuple[float | str, ...]:
        """Where it can stand: the positions within reach, in whole steps from where it stands, or its choices."""
        if self.choices is not None:
            return tuple(self.choices)
        at = float(self.installed)
        down, up = _steps(self.step, self.minimum, self.maximum, at)
        return tuple(round(at + n * self.step, 9) + 0.0 for n in range(-down, up + 1))

    @property
    def count(self) -> int:
        """How many settings it has."""
        if self.choices is not None:
            return len(self.choices)
        return max(0, 1 + sum(_steps(self.step, self.minimum, self.maximum, float(self.installed))))

    @property
    def units(self) -> str:
        """Its unit in the plural: "flats", "mm"."""
        return self.unit if self.unit == "mm" else f"{self.unit}s"

    def effect_at(self, position: float | str) -> dict[str, float]:
        """What standing at a position, instead of where it stands, changes: by path, degrees and millimetres.

        **Raises** KeyError for a choice that there is not.
        """
        if self.choices is None:
            turned = float(position) - float(self.installed)
            return {path: size * turned for path, size in self.effect.items()}
        there, here = self.choices[str(position)], self.choices[str(self.installed)]
        return {path: there.get(path, 0.0) - here.get(path, 0.0) for path in {**here, **there}}

    def steps_to(self, position: float | str) -> float:
        """How many steps away a position is; another choice counts one."""
        if self.choices is not None:
            return float(position != self.installed)
        return abs(round((float(position) - float(self.installed)) / self.step))

    def as_dict(self) -> dict[str, Any]:
        """The adjuster as the job file gives it."""
        entry: dict[str, Any] = {"id": self.id, "kind": self.kind, "unit": self.unit, "cost": self.cost}
        if self.choices is not None:
            choices = {key: dict(effect) for key, effect in self.choices.items()}
            return entry | {"installed": self.installed, "choices": choices}
        numbers = {"step": self.step, "min": self.minimum, "max": self.maximum, "installed": self.installed}
        return entry | numbers | {"effect": dict(self.effect)}

    @property
    def names(self) -> tuple[str, ...]:
        """Paths of all quantities that it changes."""
        effects = [self.effect] if self.choices is None else self.choices.values()
        return tuple(dict.fromkeys(path for effect in effects for path, size in effect.items() if size))


def _steps(step: float, low: float, high: float, installed: float) -> tuple[int, int]:
    """How many whole steps there are below and above where an adjuster stands."""
    return math.floor((installed - low) / step + _NEARLY), math.floor((high - installed) / step + _NEARLY)


def parse_adjusters(check: Checker, value: object, names: frozenset[str]) -> list[Adjuster]:
    """The adjusters of a job file."""
    found: list[Adjuster] = []
    ids: set[str] = set()
    for index, entry in enumerate(check.items("/adjusters", value)):
        at = f"/adjusters/{index}"
        adjuster = _parse_adjuster(check, at, entry, names)
        if adjuster is None:
            continue
        if adjuster.id in ids:
            check.fault(f"{at}/id", f"another adjuster is already called {check.shown(adjuster.id)}")
        ids.add(adjuster.id)
        found.append(adjuster)
    return found


def _parse_adjuster(check: Checker, at: str, entry: object, names: frozenset[str]) -> Adjuster | None:
    before = len(check.faults)
    if not isinstance(entry, dict):
        check.fault(at, f"expected an object, got {check.shown(entry)}")
        return None
    by_choice = "choices" in entry
    required = ("id", "choices") if by_choice else ("id", "effect", "min", "max")
    optional = ("kind", "unit", "installed", "cost") + (() if by_choice else ("step",))
    check.keys(at, entry, required, optional)
    name, kind, unit = (
        (check.text(f"{at}/{key}", entry[key]) or "") if key in entry else "" for key in ("id", "kind", "unit")
    )
    cost = check.number(f"{at}/cost", entry.get("cost", 1))
    if by_choice:
        choices = _parse_choices(check, at, entry, names)
        if len(check.faults) > before:
            return None
        installed = _as_key(entry.get("installed", 0))
        return Adjuster(name, kind, unit, cost=cost or 0.0, installed=installed, choices=choices)
    step = check.length(f"{at}/step", entry.get("step", 1), above_zero=True)
    low, high, installed_at = (check.length(f"{at}/{key}", entry.get(key, 0)) for key in ("min", "max", "installed"))
    effect = _parse_effect(check, f"{at}/effect", entry.get("effect", {}), names)
    if step is not None and low is not None and high is not None and installed_at is not None:
        _check_reach(check, at, step, low, high, installed_at)
    if len(check.faults) > before:
        return None
    return Adjuster(
        name, kind, unit, step=step or 1.0, minimum=low or 0.0, maximum=high or 0.0, installed=installed_at or 0.0,
        cost=cost or 0.0, effect=effect,
    )  # fmt: skip


def _check_reach(check: Checker, at: str, step: float, low: float, high: float, installed: float) -> None:
    if low > high:
        check.fault(f"{at}/min", f"expected at most the maximum {high:g}, got {low:g}")
    elif not low - _NEARLY <= installed <= high + _NEARLY:
        check.fault(f"{at}/installed", f"expected a position between {low:g} and {high:g}, got {installed:g}")
    else:
        # Not rounded to a whole number: of the smallest steps there are infinitely many.
        settings = (high - low) / step + 1
        if settings > MOST_SETTINGS + _NEARLY:
            check.fault(f"{at}/step", f"expected at most {MOST_SETTINGS:,} settings, got {settings:,.0f}")


def _as_key(installed: object) -> str:
    if isinstance(installed, float) and installed.is_integer():
        return str(int(installed))
    return str(installed)


def _parse_choices(
    check: Checker, at: str, entry: Mapping[str, Any], names: frozenset[str]
) -> dict[str, dict[str, float]]:
    value = entry["choices"]
    if not isinstance(value, dict):
        check.fault(f"{at}/choices", f"expected an object, got {check.shown(value)}")
        return {}
    if len(value) > MOST_SETTINGS:
        check.fault(f"{at}/choices", f"expected at most {MOST_SETTINGS:,} choices, got {len(value):,}")
        return {}
    installed = entry.get("installed", 0)
    if isinstance(installed, bool) or not isinstance(installed, int | float | str):
        check.fault(f"{at}/installed", f"expected the name of a choice, got {check.shown(installed)}")
    elif _as_key(installed) not in value:
        check.fault(f"{at}/installed", f"expected one of the choices, got {check.shown(installed)}")
    return {key: _parse_effect(check, check.under(f"{at}/choices", key), item, names) for key, item in value.items()}


def _parse_effect(check: Checker, at: str, value: object, names: frozenset[str]) -> dict[str, float]:
    if not isinstance(value, dict):
        check.fault(at, f"expected an object, got {check.shown(value)}")
        return {}
    effect = {}
    for path, item in value.items():
        pointer = check.under(at, path)
        if path not in names:
            check.fault(pointer, "this vehicle has no such quantity")
            continue
        number = (check.length if path.endswith("_mm") else check.angle)(pointer, item)
        if number is not None:
            effect[path] = number
    return effect
