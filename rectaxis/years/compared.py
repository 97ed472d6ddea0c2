"""A fleet's vehicles beside each other: by yard, by model, by their axles; a vehicle beside its sisters; what setting them straight saved."""

from __future__ import annotations

import statistics
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from alignment.judge.fitness import UNSAFE
from alignment.judge.sisters import beside
from alignment.judge.wear import Range
from alignment.quantities import say
from rectaxis.fleets.models import Vehicle
from rectaxis.years.naming import axles_of, model_of
from rectaxis.years.standing import Kept, Need, kept_of

WIDTH, ROW = 640, 34
_LEFT, _RIGHT, _DOT = 8.0, 8.0, 5.0
_TALLEST = 160.0
"""Piles are no taller: where more vehicles stand in one place, their dots cover each other in part."""
_NAMED = 40
"""So many dots are named one by one in words; of more, how many stand in each tenth."""


BY: Mapping[str, tuple[str, Callable[[Vehicle], str]]] = {
    "yard": ("yard", lambda one: one.stands_at), "model": ("make and model", model_of), "axles": ("axles", axles_of),
}  # fmt: skip
"""By what vehicles are compared: its name, and what it is of a vehicle. A route is not kept: what stands in one yard drives alike."""


@dataclass(frozen=True)
class Dot:
    """A vehicle on its group's line, by how likely it is outside today."""

    x: float
    y: float
    unsafe: bool
    said: str

    @property
    def corner(self) -> tuple[float, float]:
        """The upper left corner of a square in its place."""
        return self.x - _DOT, self.y - _DOT


@dataclass(frozen=True)
class Group:
    """Vehicles that share something: how many are likely outside, the middle one's chance, what leaving them costs."""

    name: str
    needs: tuple[Need, ...]
    dots: tuple[Dot, ...]
    outside: int
    unsafe: int
    middle: int | None
    cost: Range | None

    @property
    def height(self) -> float:
        """As tall as its dots are piled up."""
        return max(ROW, max((ROW - dot.y for dot in self.dots), default=0.0) + 2 * _DOT)

    @property
    def said(self) -> str:
        """The drawing in words."""
        if len(self.dots) <= _NAMED:
            return "; ".join(dot.said for dot in self.dots) or "not known"
        tenths = Counter(min(9, (need.chance or 0) // 10) for need in self.needs if need.chance is not None)
        return "; ".join(f"{tenths[tenth]} at {10 * tenth} to {10 * tenth + 10} %" for tenth in sorted(tenths))

    @property
    def top(self) -> float:
        """Where its drawing begins."""
        return ROW - self.height


def compared(needs: Iterable[Need], by: str) -> list[Group]:
    """The groups, the one with the likeliest middle first. Of a group of one there is nothing to compare, and it is shown all the same."""
    groups: dict[str, list[Need]] = {}
    for need in needs:
        groups.setdefault(BY[by][1](need.vehicle) or "not said", []).append(need)
    found = [_group(name, of) for name, of in groups.items()]
    return sorted(found, key=lambda one: (-(one.middle if one.middle is not None else -1), one.name))


def _group(name: str, needs: Sequence[Need]) -> Group:
    chances = [need.chance for need in needs if need.chance is not None]
    costs = [need.cost for need in needs if need.cost is not None]
    return Group(
        name, tuple(needs), tuple(_dots(needs)), sum(chance >= 50 for chance in chances), sum(need.answer == UNSAFE for need in needs),  # noqa: PLR2004
        round(statistics.median(chances)) if chances else None, Range(sum(one.low for one in costs), sum(one.high for one in costs)) if costs else None,
    )  # fmt: skip


def _dots(needs: Sequence[Need]) -> Iterable[Dot]:
    """Dots that would lie on each other are piled up."""
    known = sorted((one for one in needs if one.chance is not None), key=lambda one: (one.chance, one.vehicle.unit))
    across = [_LEFT + (WIDTH - _LEFT - _RIGHT) * float(need.chance or 0) / 100 for need in known]
    places = [round(x / (2 * _DOT)) for x in across]
    step = min(2 * _DOT, _TALLEST / max(Counter(places).values(), default=1))
    piled: Counter[int] = Counter()
    for need, x, place in zip(known, across, places, strict=True):
        piled[place] += 1
        unsafe = need.answer == UNSAFE
        yield Dot(
            x,
            ROW - 6 - _DOT - (piled[place] - 1) * step,
            unsafe,
            f"{need.vehicle.unit}: {need.chance} %{', not safe' if unsafe else ''}",
        )


@dataclass(frozen=True)
class Sister:
    """One angle of a vehicle beside those of its sisters, in words; ``apart`` where it stands outside of all of theirs."""

    label: str
    own: str
    middle: str
    between: str
    count: int
    apart: bool


def beside_sisters(own: Kept, sisters: Sequence[Kept], style: str) -> list[Sister]:
    """Each angle that the vehicle and enough sisters have, as it was left last."""
    found = []
    for label, (quantity, estimate) in own.angles.items():
        told = beside(estimate, [one.angles[label][1] for one in sisters if label in one.angles])
        if told is not None:
            between = f"{say(quantity, told.low, style)} to {say(quantity, told.high, style)}"
            found.append(
                Sister(
                    label,
                    say(quantity, estimate.value, style),
                    say(quantity, told.middle, style),
                    between,
                    told.count,
                    told.apart,
                )
            )
    return found


def sisters_of(vehicle: Vehicle, style: str) -> list[Sister]:
    """A vehicle beside those of its fleet that are of the same make and model, by what is kept of them; none where nothing is, or where it has no model."""
    if not vehicle.model:
        return []
    alike = list(
        Vehicle.objects.filter(fleet=vehicle.fleet_id, make__iexact=vehicle.make, model__iexact=vehicle.model).order_by(
            "unit"
        )[:_MOST_SISTERS]
    )
    kept = kept_of([vehicle, *(one for one in alike if one.pk != vehicle.pk)])
    own = kept.pop(vehicle.pk, None)
    return beside_sisters(own, list(kept.values()), style) if own is not None else []


_MOST_SISTERS = 60
