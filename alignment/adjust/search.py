"""The exact search for the best settings: branch and bound, breadth first, over all settings of all adjusters.

A row of the specification is a number that the adjusters add to. A partial choice leaves each row an interval that the
adjusters to come can still reach; what every row must at least cost within its interval bounds what the choice can lead
to. Choices that no later adjuster can tell apart are kept once. Adjusters that share no row are searched apart. Where too
many choices stay open, a general solver of integer programs takes over.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from alignment.adjust.scoring import EQUAL, Array, Found, Indices, Options, Rows, Score, score_of

MOST_TRIED = 200_000
"""With more choices to try for the next adjuster than this, the general solver is faster (measured: ``./run bench setting``)."""
_AT_ONCE = 400_000
"""Numbers worked on together: what fits a processor's cache serves better than one great array."""
_SAME = 1e-12
"""Rows' sums closer than this, in half widths, lead to the same scores."""


class _Asked:
    """A question to the search that is equal to another with the same numbers in it."""

    def __init__(self, rows: Rows, options: Sequence[Options]) -> None:
        self.rows, self.options = rows, options
        arrays = [rows.base, rows.low, rows.high, rows.preferred]
        for option in options:
            arrays += [option.adds, option.movement, np.array([option.cost, option.installed])]
        self._key = tuple((array.shape, array.tobytes()) for array in arrays)

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Asked) and self._key == other._key


def search(rows: Rows, options: Sequence[Options]) -> Found:
    """The best setting of every adjuster, certified unless its ``gap`` says otherwise.

    Answers are remembered: a page asks the same again each time it refreshes.
    """
    return _search(_Asked(rows, options))


@lru_cache(maxsize=64)
def _search(asked: _Asked) -> Found:
    rows, options = asked.rows, asked.options
    chosen = [option.installed for option in options]
    gap: float | None = None
    for members in _components(options):
        touched = np.any([np.any(options[i].adds != 0, axis=0) for i in members], axis=0)
        mine, own = rows.take(touched), [options[i].take(touched) for i in members]
        tree = Tree(mine, own)
        found = tree.solve() or _by_integers(mine, own, tree.chosen)
        for member, choice in zip(members, found.chosen, strict=True):
            chosen[member] = choice
        if found.gap is not None:
            gap = (gap or 0.0) + found.gap
    return Found(tuple(chosen), score_of(rows, options, chosen), gap)


def _by_integers(rows: Rows, options: Sequence[Options], start: Sequence[int]) -> Found:
    # A heavy library, asked for only where it serves.
    from alignment.adjust.integer import solve_integer

    return solve_integer(rows, options, start)


def _components(options: Sequence[Options]) -> list[list[int]]:
    """Adjusters that share rows, directly or through others."""
    groups: list[tuple[set[int], list[int]]] = []
    for index, option in enumerate(options):
        rows = set(np.flatnonzero(np.any(option.adds != 0, axis=0)).tolist())
        mine = [group for group in groups if group[0] & rows]
        groups = [group for group in groups if not group[0] & rows]
        groups.append((rows.union(*(g[0] for g in mine)), [i for g in mine for i in g[1]] + [index]))
    return [sorted(members) for _, members in groups]


class _Level(NamedTuple):
    """The choices kept after an adjuster: from which earlier choice each comes, and with which setting."""

    parents: Indices
    settings: Indices


class Tree:
    """The search of one group of adjusters that share rows."""

    def __init__(self, rows: Rows, options: Sequence[Options], most_tried: int = MOST_TRIED) -> None:
        self.order = _working(options)
        self.rows = rows
        self.options = [options[index] for index in self.order]
        self.most_tried = most_tried
        shape = (len(options) + 1, len(rows.base))
        # What the adjusters from a level on can take from, or add to, each row; what they must at least cost.
        self.least, self.most = np.zeros(shape), np.zeros(shape)
        self.must = np.zeros(len(options) + 1)
        for level in reversed(range(len(options))):
            adds = self.options[level].adds
            self.least[level] = self.least[level + 1] + adds.min(axis=0)
            self.most[level] = self.most[level + 1] + adds.max(axis=0)
            self.must[level] = self.must[level + 1] + min(0.0, self.options[level].cost)
        self.best, self.best_chosen = descend(rows, self.options, [o.installed for o in self.options])

    def solve(self) -> Found | None:
        """The best settings for certain, None where too many choices stay open."""
        levels: list[_Level] = []
        sums, done = self.rows.base[None, :], np.zeros((1, 4))
        columns = np.arange(len(self.rows.base))
        for level in range(len(self.options)):
            if len(sums) * len(self.options[level].movement) > self.most_tried:
                return None
            left = np.flatnonzero((self.least[level + 1, columns] != 0) | (self.most[level + 1, columns] != 0))
            sums, done, kept = self._expand(level, columns, left, sums, done)
            columns = columns[left]
            levels.append(kept)
            if not len(sums):
                break
        else:
            self._take_best(levels, done)
        return Found(self.chosen, self.best)

    @property
    def chosen(self) -> tuple[int, ...]:
        """The best settings known, in the order in which the adjusters were given."""
        return tuple(choice for _, choice in sorted(zip(self.order, self.best_chosen, strict=True)))

    def _take_best(self, levels: list[_Level], done: Array) -> None:
        at = _least(done.T)
        if not Score(*done[at].tolist()).beats(self.best):
            return
        self.best = Score(*done[at].tolist())
        chosen = []
        for level in reversed(levels):
            chosen.append(int(level.settings[at]))
            at = int(level.parents[at])
        self.best_chosen = tuple(reversed(chosen))

    def _expand(
        self, level: int, columns: Indices, left: Indices, sums: Array, done: Array
    ) -> tuple[Array, Array, _Level]:
        """All choices kept so far, each with every setting of one more adjuster, without those that lead nowhere."""
        option = self.options[level]
        adds = option.adds[:, columns]
        closing = np.setdiff1d(np.arange(len(columns)), left)
        closed = self.rows.take(columns[closing])
        block = max(1, _AT_ONCE // max(1, adds.size))
        parts = []
        for start in range(0, len(sums), block):
            here = sums[start : start + block, None, :] + adds[None, :, :]
            grown = np.repeat(done[start : start + block, None, :], len(adds), axis=1)
            grown[:, :, 1] += option.costs
            grown[:, :, 3] += option.movement
            grown = grown.reshape(-1, 4)
            here = here.reshape(len(grown), len(columns))
            # Rows that no later adjuster reaches have their final value.
            final = here[:, closing]
            grown[:, 0] += closed.excess(final, final)
            grown[:, 2] += closed.distance(final, final)
            keep = np.flatnonzero(_may_beat(self._bounds(level + 1, columns[left], here[:, left], grown), self.best))
            parents, settings = np.divmod(keep, len(adds))
            parts.append((here[keep][:, left], grown[keep], parents + start, settings))
        sums, done, parents, settings = (np.concatenate(pieces) for pieces in zip(*parts, strict=True))
        first = _once(sums, done)
        return sums[first], done[first], _Level(parents[first], settings[first])

    def _bounds(self, level: int, columns: Indices, sums: Array, done: Array) -> Array:
        """The least that each choice can come to."""
        rows = self.rows.take(columns)
        least, most = sums + self.least[level, columns], sums + self.most[level, columns]
        bounds = done.copy()
        bounds[:, 0] += rows.excess(least, most)
        bounds[:, 1] += self.must[level]
        bounds[:, 2] += rows.distance(least, most)
        return bounds


_MOST_PAIRS = 500
_MOST_NUMBERS = 1_000_000


def _worth_trying(options: Sequence[Options], pair: tuple[int, int]) -> bool:
    """Whether all settings of two adjusters together are few enough to try."""
    one, other = (options[index].adds for index in pair)
    return one.size * len(other) <= _MOST_NUMBERS


def descend(rows: Rows, options: Sequence[Options], chosen: Sequence[int]) -> tuple[Score, tuple[int, ...]]:
    """A good plan, from settings to begin with: two adjusters at a time are set best until nothing gets better."""
    chosen = list(chosen)
    best = score_of(rows, options, chosen)
    touches = [np.any(option.adds != 0, axis=0) for option in options]
    # Two that share no row are set best one by one, and so are very many, or those with very many settings.
    pairs = itertools.islice(itertools.combinations(range(len(chosen)), 2), _MOST_PAIRS)
    together = [p for p in pairs if _worth_trying(options, p) and np.any(touches[p[0]] & touches[p[1]])]
    tries: list[tuple[int, ...]] = [*((one,) for one in range(len(chosen))), *together]
    better = True
    while better:
        better = False
        for pair in tries:
            score, settings = _best_of(rows, options, chosen, pair)
            if score.beats(best):
                best, better = score, True
                for member, setting in zip(pair, settings, strict=True):
                    chosen[member] = setting
    return best, tuple(chosen)


def _best_of(
    rows: Rows, options: Sequence[Options], chosen: Sequence[int], pair: tuple[int, ...]
) -> tuple[Score, tuple[int, ...]]:
    """The best settings of one or two adjusters while the others stay."""
    rest = [i for i in range(len(chosen)) if i not in pair]
    values = rows.base + sum((options[i].adds[chosen[i]] for i in rest), np.zeros(len(rows.base)))
    costs = np.array(sum(float(options[i].costs[chosen[i]]) for i in rest))
    moved = np.array(sum(float(options[i].movement[chosen[i]]) for i in rest))
    for member in pair:
        values = values[..., None, :] + options[member].adds
        costs = costs[..., None] + options[member].costs
        moved = moved[..., None] + options[member].movement
    parts = (rows.excess(values, values), costs, rows.distance(values, values), moved)
    scores = [part.ravel() for part in parts]
    at = _least(scores)
    return Score(*(float(part[at]) for part in scores)), tuple(int(i) for i in np.unravel_index(at, costs.shape))


def _working(options: Sequence[Options]) -> list[int]:
    """An order of the adjusters in which rows are finished early: next comes who leaves the fewest rows open."""
    touches = np.array([np.any(option.adds != 0, axis=0) for option in options])
    order: list[int] = []
    left = list(range(len(options)))
    while left:
        opened = np.asarray(touches[order].any(axis=0))

        def leaves_open(index: int, opened: NDArray[np.bool_] = opened) -> tuple[int, int, int]:
            later = touches[[other for other in left if other != index]].any(axis=0)
            return int(np.sum((opened | touches[index]) & later)), -int(np.sum(touches[index])), index

        order.append(min(left, key=leaves_open))
        left.remove(order[-1])
    return order


def _may_beat(bounds: Array, best: Score) -> NDArray[np.bool_]:
    """Which bounds (n, 4) leave room for something better than the best known."""
    may = np.zeros(len(bounds), dtype=bool)
    level = np.ones(len(bounds), dtype=bool)
    for part, known in enumerate(best):
        may |= level & (bounds[:, part] < known - EQUAL)
        level &= np.abs(bounds[:, part] - known) <= EQUAL
    return may


def _least(scores: Iterable[Array]) -> int:
    """Where the best of the scores stands, given part by part (n,): the first of those that are equal."""
    left: Indices | None = None
    for part in scores:
        mine = part if left is None else part[left]
        near = np.flatnonzero(mine <= mine.min() + EQUAL)
        left = near if left is None else left[near]
    return 0 if left is None else int(left[0])


def _once(sums: Array, done: Array) -> Indices:
    """Indices of one choice for each set of open sums: the best of those that later adjusters cannot tell apart."""
    if sums.shape[1] == 0:
        return np.array([_least(done.T)] if len(done) else [], dtype=np.int64)
    if len(sums) == 0:
        return np.zeros(0, dtype=np.int64)
    keys = np.round(sums / _SAME)
    parts = (*(np.round(done[:, part] / EQUAL) for part in (3, 2, 1, 0)), *keys.T)
    order = np.lexsort(parts)
    new = np.ones(len(order), dtype=bool)
    new[1:] = np.any(keys[order[1:]] != keys[order[:-1]], axis=1)
    return np.asarray(order[new])
