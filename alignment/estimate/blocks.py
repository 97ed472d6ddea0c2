"""The equations of a phase, split into blocks that share no unknown, so that each can be solved by itself.

A van is a few blocks. A file of a thousand axles is many: the work grows with their number, not with its cube.

A swing determines caster and inclination only; the toe and camber that it depends on come from the other readings. Its
block therefore has *given* unknowns besides its *free* ones, and is solved after the blocks that give them. Toe and camber
that those do not determine enter as 0: a sum of unknowns along an undetermined direction is not what was measured.

What is found here depends on which readings there are, not on what they say: jobs of the same structure share it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Protocol

import numpy as np

from alignment.estimate.weights import Together, Weights
from alignment.model.formula import Argument, Array, Formula, Sheet
from alignment.model.state import DEG, LEVEL, Ground, Layout
from alignment.model.vehicle import Datum, Vehicle
from alignment.readings.base import Assumed, Observed, Reading
from alignment.readings.camera import RigCovariance
from alignment.readings.unread import GaugeZero, RigidTie

_ANGLE_SCALE = 1.0 / DEG
_LENGTH_SCALE = 10.0
"""Typical sizes of the unknowns, a degree and a centimetre: they make the columns comparable, no more."""
_RANK_TOLERANCE = 1e-9
"""Singular values of the row-normalised matrix below this share of the largest count as nothing."""
_WITHIN = 1e-7
"""A combination that leaves the determined directions by no more than this share of its length lies within them."""
_SMALLEST_U = 1e-9
"""A number said to be known better than this counts as known this well: a nanometre, a billionth of a degree."""
_MOST_REMEMBERED = 1000
"""Structures of more readings than any vehicle has are not kept: they would fill the memory."""
_COMFORTABLE = 24
"""Small blocks are solved together up to this many unknowns: fewer matrices, not yet large ones, are fastest."""


class Equations(Protocol):
    """One or more rows: a reading, a rigid tie, or the zero of a gauge."""

    def observed(self) -> tuple[Observed, ...]:
        """The numbers that the rows compare."""

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:
        """The same numbers as functions of the unknowns."""

    def determines(self, layout: Layout) -> frozenset[int] | None:
        """The unknowns that the rows may determine, None for all that they depend on."""

    def assumes(self, layout: Layout) -> tuple[Assumed, ...]:
        """What the rows take for granted where nothing gives it."""


@dataclass
class _Member:
    """One reading or row that no tool reads within a block: its index among the readings, or None, and its first row."""

    owner: int | None
    first_row: int
    equations: Equations
    formulas: tuple[Formula, ...]
    free: list[int]
    given: list[int]


class Block:
    """Rows and the unknowns that only these rows contain.

    ``free`` (n,) are the unknowns to be adjusted, ``given`` (g,) those taken from elsewhere, among them ``assumed`` ones,
    which take their prior. ``told`` are unknowns whose prior would apply if no row determined them. All are indices of the
    layout. ``rows`` (m,) are the block's rows among all rows of the phase; ``owners`` says for each which reading it belongs
    to, None for one that no tool reads. ``resting`` is every unknown on the perfect vehicle; ``earlier`` says whether the
    blocks before determine a sum of unknowns. ``directions`` (n, rank) are an orthonormal basis of what the rows determine,
    in units of ``scale`` (n,). ``start`` (n,) is where the search for them begins: at what would be assumed, or as on the
    perfect vehicle, which is also what stays along directions that nothing determines; ``at_start`` is what the rows predict
    there, and its slopes, with everything given at ``given_at_start`` (g,).
    """

    def __init__(
        self,
        layout: Layout,
        ground: Ground,
        members: Sequence[_Member],
        free: Sequence[int],
        weak: frozenset[int],
        resting: Sequence[float],
        earlier: Callable[[Argument], bool] = lambda _: False,
    ) -> None:
        rows = [(m.owner, m.first_row + row) for m in members for row in range(len(m.formulas))]
        self.owners = [owner for owner, _ in rows]
        self.rows = np.array([row for _, row in rows])
        self.free = list(free)
        self.given = sorted({index for member in members for index in member.given}.difference(free))
        self._resting = resting
        self._size_up(layout)
        at_rest = self._at_rest(layout, ground, members)
        self.directions = determined_directions(at_rest, self.scale)
        self.assumed, self.told = self._what_is_assumed(layout, members, weak)
        if self.assumed:
            taken = {assumed.unknown for assumed in self.assumed}
            kept = [local for local, index in enumerate(self.free) if index not in taken]
            self.free = [self.free[local] for local in kept]
            self.given += sorted(taken)
            self._size_up(layout)
            self.directions = determined_directions(at_rest[:, kept], self.scale)
        formulas = [formula for member in members for formula in member.formulas]
        unknown = frozenset(s for f in formulas for s in f.secondary() if not (self.determines(s) or earlier(s)))
        self.sheet = Sheet([formula.without(unknown) for formula in formulas], self.free + self.given)
        self.whole = self.directions.shape[0] == self.directions.shape[1]
        self._scaled = self.scale[:, None] * self.directions
        usual = {a.unknown: a.value for m in members for a in m.equations.assumes(layout)} if self.whole else {}
        self.start = np.array([usual.get(index, self._resting[index]) for index in self.free])
        held = {assumed.unknown: assumed.value for assumed in self.assumed}
        self.given_at_start = np.array([held.get(index, self._resting[index]) for index in self.given])
        self.at_start = self.sheet.at(np.concatenate((self.start, self.given_at_start)))
        self.begun: dict[bytes, tuple[Array, Array, Array]] = {}
        """Weighted Jacobian at the start, with its factors, by the weights: for the search to remember."""

    def determines(self, sums: Argument) -> bool:
        """Whether the rows determine a sum of unknowns, as far as it is one of this block's free ones."""
        place = {index: local for local, index in enumerate(self.free)}
        scaled = np.zeros((1, len(self.free)))
        for factor, index in sums:
            if index not in place:
                return False
            scaled[0, place[index]] += factor * self.scale[place[index]]
        return bool(within(scaled, self.directions)[0])

    def to_directions(self, slopes: Array) -> Array:
        """Slopes (m, n) against the free unknowns, as slopes (m, rank) along the directions."""
        # The directions of a block that is determined whole are the unknowns themselves.
        return slopes * self.scale if self.whole else slopes @ self._scaled

    def from_directions(self, along: Array) -> Array:
        """Moves (rank,) or (rank, k) along the directions, as moves (n,) or (n, k) of the free unknowns."""
        if not self.whole:
            return np.asarray(self._scaled @ along)
        return along * (self.scale if along.ndim == 1 else self.scale[:, None])

    def _size_up(self, layout: Layout) -> None:
        lengths = np.array([layout.lengths[column] for column in self.free], dtype=bool)
        self.scale = np.where(lengths, _LENGTH_SCALE, _ANGLE_SCALE)
        self.angles = ~lengths

    def _at_rest(self, layout: Layout, ground: Ground, members: Sequence[_Member]) -> Array:
        """Jacobian (m, n) over the free unknowns at the perfect vehicle on level ground, in the rows' own units."""
        on_level = (m.formulas if ground == LEVEL else m.equations.formulas(layout, LEVEL) for m in members)
        columns = self.free + self.given
        sheet = Sheet([formula for formulas in on_level for formula in formulas], columns)
        return sheet.at(np.array([self._resting[index] for index in columns]))[1][:, : len(self.free)]

    def _what_is_assumed(
        self, layout: Layout, members: Sequence[_Member], weak: frozenset[int]
    ) -> tuple[tuple[Assumed, ...], list[int]]:
        """What the members assume and no row determines, or only too weakly; and the unknowns that rows determine instead."""
        named = {a.unknown: a for m in members for a in m.equations.assumes(layout)}
        if not named:
            return (), []
        units = np.eye(len(self.free))[[self.free.index(index) for index in named]]
        known = dict(zip(named, within(units, self.directions).tolist(), strict=True))
        told = [index for index, fine in known.items() if fine and index not in weak]
        return tuple(assumed for index, assumed in named.items() if index not in told), told


def determined_directions(jacobian: Array, scale: Array) -> Array:
    """Orthonormal basis (n, rank) of the scaled directions that the rows determine (equation 2)."""
    rows = jacobian * scale
    size = np.sqrt(np.einsum("ij,ij->i", rows, rows))
    rows = rows[size > 0] / size[size > 0, None]
    used = np.flatnonzero(rows.any(axis=0))
    if not len(used):
        return np.zeros((len(scale), 0))
    _, singular, basis = np.linalg.svd(rows[:, used], full_matrices=False)
    rank = int((singular > _RANK_TOLERANCE * singular[0]).sum())
    directions = np.zeros((len(scale), rank))
    # Where everything is determined any basis serves, and the plain one keeps the numbers as they are.
    directions[used] = np.eye(rank) if rank == len(used) else basis[:rank].T
    return directions


def within(scaled: Array, directions: Array) -> Array:
    """Which of the scaled combinations (q, n) lie within the directions (n, rank)."""
    outside = scaled - (scaled @ directions) @ directions.T
    return np.asarray(np.abs(outside).max(axis=1, initial=0.0) <= _WITHIN * np.abs(scaled).max(axis=1, initial=0.0))


class Structure:
    """Which readings stand on a vehicle, and so what they can determine: everything but the numbers read.

    ``blocks`` are in the order in which they must be solved. The layout is shared and must not be added to. ``weak`` are
    unknowns to be assumed although rows tell them, because those tell them too badly.
    """

    def __init__(
        self, layout: Layout, ground: Ground, readings: Sequence[Reading], weak: frozenset[int] = frozenset()
    ) -> None:
        self.layout = layout
        self.ground = ground
        self.readouts: dict[str, Any] = {}
        """What others work out once for the structure, each under a name of its own."""
        for reading in readings:
            reading.declare(layout)
        zeros = {r.gauge: r.zero_u_deg for r in reversed(readings) if r.gauge is not None}
        self.unread: list[RigidTie | GaugeZero] = [
            *(RigidTie(axle.number) for axle in layout.vehicle.axles if axle.rigid),
            *(GaugeZero(gauge, u) for gauge, u in reversed(zeros.items())),
        ]
        self.resting = layout.resting()
        """Every unknown on the perfect vehicle."""
        self.blocks: list[Block] = []
        for part in _parts(list(self._members(readings))):
            self.blocks.append(Block(layout, ground, part.members, part.free, weak, self.resting, self._determined))

    def _determined(self, sums: Argument) -> bool:
        """Whether the blocks so far determine a sum of unknowns: each its own part, and every unknown has one."""
        rest = {index: factor for factor, index in sums}
        for block in self.blocks:
            mine = tuple((rest.pop(index), index) for index in block.free if index in rest)
            if mine and not block.determines(mine):
                return False
        return not rest

    def _members(self, readings: Sequence[Reading]) -> Iterator[_Member]:
        """Every reading and unread row with its formulas, and what of their unknowns they may determine."""
        equations: list[tuple[int | None, Equations]] = [*enumerate(readings), *((None, row) for row in self.unread)]
        first = 0
        for owner, one in equations:
            formulas = one.formulas(self.layout, self.ground)
            touched = list(dict.fromkeys(index for formula in formulas for index in formula.touched))
            own = one.determines(self.layout)
            free = touched if own is None else [index for index in touched if index in own]
            given = [] if own is None else [index for index in touched if index not in own]
            if formulas:
                yield _Member(owner, first, one, formulas, free, given)
            first += len(formulas)

    def observed(self, readings: Sequence[Reading]) -> tuple[Array, Weights]:
        """The numbers (rows,) that all rows of the phase compare, unread ones last, and how well they are known."""
        rows = [observed for reading in readings for observed in reading.numbers]
        rows += [observed for row in self.unread for observed in row.observed()]
        u = np.array([observed.u for observed in rows])
        return np.array([observed.value for observed in rows]), Weights(np.maximum(u, _SMALLEST_U), _together(readings))


def _together(readings: Sequence[Reading]) -> list[Together]:
    """The rows of the phase that a rig's covariance names; where one was left out, the others stay as they are known."""
    found = []
    # Every reading is asked, and isinstance is slow where a class is abstract.
    for rig in (reading for reading in readings if type(reading) is RigCovariance):
        place: dict[tuple[int, str], int] = {}
        first = 0
        for reading in readings:
            place |= {(id(reading), name): first + at for at, name in enumerate(reading.rows)}
            first += len(reading.numbers)
        kept = [at for at, (reading, name) in enumerate(rig.of) if (id(reading), name) in place]
        if kept:
            rows = np.array([place[id(rig.of[at][0]), rig.of[at][1]] for at in kept])
            found.append(Together(rows, np.array(rig.data["covariance"], dtype=float)[np.ix_(kept, kept)]))
    return found


@lru_cache(maxsize=256)
def _known_structure(vehicle: Vehicle, datum: Datum, ground: Ground, by_kind: _Key) -> Structure:
    return Structure(Layout(vehicle, datum), ground, by_kind.readings)


class _Key:
    """Readings as the key of a cache: equal where they have the same formulas."""

    def __init__(self, readings: Sequence[Reading]) -> None:
        self.readings = readings
        self._structure = tuple([(reading.key, reading.worked_in()) for reading in readings])
        self._hash = hash(self._structure)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and self._structure == other._structure


def structure_of(vehicle: Vehicle, datum: Datum, ground: Ground, readings: Sequence[Reading]) -> Structure:
    """The structure of a phase; one that was met lately is not worked out again, unless it is uncommonly large."""
    if len(readings) > _MOST_REMEMBERED:
        return Structure(Layout(vehicle, datum), ground, readings)
    return _known_structure(vehicle, datum, ground, _Key(readings))


def forget() -> None:
    """Forget the structures that were met lately."""
    _known_structure.cache_clear()


@dataclass
class _Part:
    """Equations that share unknowns, before small parts are put together."""

    members: list[_Member]
    free: list[int]

    @property
    def takes(self) -> bool:
        """Whether it depends on unknowns that others give."""
        return any(member.given for member in self.members)


def _parts(members: Sequence[_Member]) -> Iterable[_Part]:
    """Members joined where they share a free unknown; those that take from others last.

    Members without any unknown (a length to an axle that the datum runs through) are rows all the same: they check the
    readings, and stand in a part of their own.
    """
    roots = _Roots()
    for member in members:
        roots.join(member.free)
    parts: dict[int, _Part] = {}
    for member in members:
        if member.free:
            parts.setdefault(roots.of(member.free[0]), _Part([], [])).members.append(member)
    for index in sorted(roots.known()):
        parts[roots.of(index)].free.append(index)
    fixed = [member for member in members if not member.free]
    whole = [part for part in parts.values() if not part.takes]
    taking = [part for part in parts.values() if part.takes]
    return (*([_Part(fixed, [])] if fixed else []), *_packed(whole), *_packed(taking))


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
