"""The equations of a phase, split into blocks that share no unknown, so that each can be solved by itself.

A van is a few blocks. A file of a thousand axles is many: the work grows with their number, not with its cube.

A swing determines caster and inclination only; the toe and camber that it depends on come from the other readings. Its
block therefore has *given* unknowns besides its *free* ones, and is solved after the blocks that give them.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from alignment.formula import Array, Formula, Sheet
from alignment.readings.base import Assumed, Observed, Reading
from alignment.readings.tie import RigidTie
from alignment.state import DEG, LEVEL, Ground, Layout

_ANGLE_SCALE = 1.0 / DEG
_LENGTH_SCALE = 10.0
"""Typical sizes of the unknowns, a degree and a centimetre: they make the columns comparable, no more."""
_SMALLEST_U = 1e-9
"""A number said to be known better than this counts as known this well: a nanometre, a billionth of a degree."""
_COMFORTABLE = 24
"""Small blocks are solved together up to this many unknowns: fewer matrices, not yet large ones, are fastest."""


class Equations(Protocol):
    """One or more rows: a reading, or a rigid tie."""

    def observed(self) -> tuple[Observed, ...]:
        """The numbers that the rows compare."""

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        """The same numbers as functions of the unknowns."""

    def determines(self, layout: Layout) -> frozenset[int] | None:
        """The unknowns that the rows may determine, None for all that they depend on."""

    def assumes(self, layout: Layout) -> tuple[Assumed, ...]:
        """What the rows take for granted where nothing gives it."""


@dataclass
class Member:
    """One reading or tie within a block: its index among the readings (None for a tie) and its rows."""

    owner: int | None
    equations: Equations
    formulas: tuple[Formula, ...]
    free: list[int]
    given: list[int]


class Block:
    """Rows and the unknowns that they alone share.

    ``free`` (n,) and ``given`` (g,) are indices of the layout's unknowns; arrays are over the block's rows (m,).
    ``owners`` says for each row which reading it belongs to, None for a tie.
    """

    def __init__(self, layout: Layout, ground: Ground, members: Sequence[Member], free: Sequence[int]) -> None:
        self.free = list(free)
        self.given = sorted({index for member in members for index in member.given}.difference(free))
        self.assumed = tuple({a.index: a for m in members for a in m.equations.assumes(layout)}.values())
        self._layout, self._ground, self._members = layout, ground, members
        rows = [(member.owner, observed) for member in members for observed in member.equations.observed()]
        self.owners = [owner for owner, _ in rows]
        self.values = np.array([observed.value for _, observed in rows])
        self.u = np.maximum(np.array([observed.u for _, observed in rows]), _SMALLEST_U)
        self.columns = self.free + self.given
        self.sheet = Sheet([formula for member in members for formula in member.formulas], self.columns)
        lengths = np.array([layout.lengths[column] for column in self.free], dtype=bool)
        self.scale = np.where(lengths, _LENGTH_SCALE, _ANGLE_SCALE)
        self.angles = ~lengths

    def at_rest(self) -> Array:
        """Jacobian (m, n) over the free unknowns at the perfect vehicle on level ground, in the rows' own units."""
        sheet = self.sheet
        if self._ground != LEVEL:
            formulas = [f for member in self._members for f in member.equations.formulas(self._layout, LEVEL)]
            sheet = Sheet(formulas, self.columns)
        return sheet.at(np.zeros(len(self.columns)))[1][:, : len(self.free)]

    def misfit(self, y: Array) -> tuple[Array, Array]:
        """Weighted residuals (m,) and weighted Jacobian (m, n + g) at the values ``y`` (n + g,) of the columns."""
        values, jacobian = self.sheet.at(y)
        return (self.values - values) / self.u, jacobian / self.u[:, None]


def split(layout: Layout, ground: Ground, readings: Sequence[Reading]) -> list[Block]:
    """The blocks of a phase, those with given unknowns last: readings and rigid ties, joined where they share an unknown."""
    ties = [RigidTie(axle.number, axle.track_mm) for axle in layout.vehicle.axles if axle.rigid]
    equations: list[tuple[int | None, Equations]] = [*enumerate(readings), *((None, tie) for tie in ties)]
    members = [_member(layout, ground, owner, equation) for owner, equation in equations]
    roots = _Roots()
    for member in members:
        roots.join(member.free)
    parts: dict[int, _Part] = {}
    for member in members:
        if member.free:
            parts.setdefault(roots.of(member.free[0]), _Part([], [])).members.append(member)
    for index in sorted(roots.known()):
        parts[roots.of(index)].free.append(index)
    whole = [part for part in parts.values() if not part.takes]
    taking = [part for part in parts.values() if part.takes]
    return [Block(layout, ground, part.members, part.free) for part in (*_packed(whole), *_packed(taking))]


def _member(layout: Layout, ground: Ground, owner: int | None, equations: Equations) -> Member:
    formulas = equations.formulas(layout, ground)
    touched = dict.fromkeys(index for formula in formulas for index in formula.touched)
    own = equations.determines(layout)
    if own is None:
        return Member(owner, equations, formulas, list(touched), [])
    return Member(owner, equations, formulas, [i for i in touched if i in own], [i for i in touched if i not in own])


@dataclass
class _Part:
    """Equations that share unknowns, before small parts are put together."""

    members: list[Member]
    free: list[int]

    @property
    def takes(self) -> bool:
        """Whether it depends on unknowns that others give."""
        return any(member.given for member in self.members)


def _packed(parts: Iterable[_Part]) -> Iterable[_Part]:
    packed = _Part([], [])
    for part in parts:
        if packed.free and len(packed.free) + len(part.free) > _COMFORTABLE:
            yield packed
            packed = _Part([], [])
        packed.members.extend(part.members)
        packed.free.extend(part.free)
    if packed.free:
        yield packed


class _Roots:
    """Disjoint sets of indices, each known by its root."""

    def __init__(self) -> None:
        self._parent: dict[int, int] = {}

    def of(self, index: int) -> int:
        """The root of an index; the path to it is halved on the way."""
        parent = self._parent
        parent.setdefault(index, index)
        while parent[index] != index:
            parent[index] = parent[parent[index]]
            index = parent[index]
        return index

    def join(self, indices: Sequence[int]) -> None:
        """Put all of the indices into one set."""
        for index in indices:
            self._parent[self.of(index)] = self.of(indices[0])

    def known(self) -> Iterable[int]:
        """Every index that was joined."""
        return self._parent.keys()
