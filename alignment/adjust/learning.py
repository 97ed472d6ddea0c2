"""What a turn really does, learned from the readings after it.

An adjuster's real effect is its nominal one times a share. Before anything is turned the share is believed to be about 1,
or what earlier vehicles of the model taught; adjusters of one family (the same part with the same dimensions) are believed
to err alike, so that what one teaches counts for the next. Readings before and after moves say how far results really
moved, which is linear in the shares of all that was moved between: one Gaussian regression with a prior (Bayes; see for
instance the linear Gaussian model in any text on estimation, named from memory).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from alignment.adjust.hardware import Hardware
from alignment.adjust.scoring import Array
from alignment.estimate.solve import Estimate
from alignment.judge.results import quantity_of

OWN_U = 0.10
"""By how much adjusters of one family differ among each other. An assumption, no source."""
STICK = 0.05
"""Part of a move that sticks or slips, as a standard uncertainty. An assumption, no source."""
LEARNED_WITH = ("toe_deg", "camber_deg", "caster_deg")
"""Wheel angles that teach; an axle's bearing where its wheels' toes are not known."""
BETWEEN_U = 0.15
"""By how much vehicles of one model differ in what an adjuster does (rust, wear, another supplier's part). An assumption,
no source.
"""
SETTLED = 0.12
"""A share known better than this is relied on."""


class Belief(NamedTuple):
    """A share of the nominal effect, with its standard uncertainty."""

    share: float
    u: float

    def elsewhere(self) -> Belief:
        """What it says of another vehicle of the same model."""
        return Belief(self.share, math.hypot(self.u, BETWEEN_U))


class Moved(NamedTuple):
    """One move as it was made: the adjuster's id, its nominal change of each result by path, and the change of them that
    play may have swallowed (its direction was reversed), as a share of the move.
    """

    id: str
    changes: Mapping[str, float]
    slack: float = 0.0


Known = Mapping[str, Estimate | None]


@dataclass(frozen=True)
class Learned:
    """Shares (n,) of the adjusters ``ids`` (n,) with their covariance (n, n), and which adjusters were moved and read again."""

    ids: tuple[str, ...]
    families: tuple[str, ...]
    mean: Array
    covariance: Array
    taught: frozenset[str] = frozenset()

    @classmethod
    def before(cls, hardware: Iterable[Hardware], known: Mapping[str, Belief] | None = None) -> Learned:
        """What is believed before anything is moved; ``known`` from earlier vehicles, by family."""
        parts, known = list(hardware), known or {}
        names = tuple(part.family for part in parts)
        beliefs = [known.get(part.family) or Belief(1.0, part.DOUBT) for part in parts]
        same = np.array([[float(one == other) for other in names] for one in names]).reshape(len(names), len(names))
        u = np.array([belief.u for belief in beliefs])
        covariance = same * np.outer(u, u) + OWN_U**2 * np.eye(len(names))
        return cls(tuple(part.id for part in parts), names, np.array([belief.share for belief in beliefs]), covariance)

    def of(self, adjuster: str) -> Belief:
        """The belief in one adjuster. **Raises** ValueError for one that is not known."""
        at = self.ids.index(adjuster)
        return Belief(float(self.mean[at]), math.sqrt(self.covariance[at, at]))

    def family(self, name: str) -> Belief:
        """The belief in a family as a whole: what is kept for the model."""
        members = [at for at, family in enumerate(self.families) if family == name]
        block = self.covariance[np.ix_(members, members)]
        return Belief(float(self.mean[members].mean()), math.sqrt(block.mean()))

    def after(self, history: Sequence[tuple[Known, Sequence[Moved]]], now: Known) -> Learned:
        """What is believed after moves: ``history`` has the results known before each group of moves, oldest first."""
        rows, differences, variances, taught = [], [], [], set()
        for shift in _shifts(history, now):
            row = np.zeros(len(self.ids))
            variance = shift.variance
            for move in shift.moves:
                change = move.changes.get(shift.path, 0.0)
                if move.id in self.ids and change:
                    row[self.ids.index(move.id)] += change
                    variance += (STICK * change) ** 2 + (move.slack * change) ** 2
                    taught.add(move.id)
            if row.any():
                rows.append(row)
                differences.append(shift.change - row @ self.mean)
                variances.append(variance)
        if not rows:
            return self
        matrix = np.array(rows)
        gain = self.covariance @ matrix.T @ np.linalg.inv(matrix @ self.covariance @ matrix.T + np.diag(variances))
        mean = self.mean + gain @ np.array(differences)
        return Learned(
            self.ids, self.families, mean, self.covariance - gain @ matrix @ self.covariance, frozenset(taught)
        )


class _Shift(NamedTuple):
    """How far one result really moved while some moves were made."""

    path: str
    change: float
    variance: float
    moves: list[Moved]


def _shifts(history: Sequence[tuple[Known, Sequence[Moved]]], now: Known) -> list[_Shift]:
    """Each wheel angle's changes between two readings of it with moves between them."""
    found = []
    for path in now:
        if not _teaches(path, [*(known for known, _ in history), now]):
            continue
        was: Estimate | None = None
        between: list[Moved] = []
        for known, moves in [*history, (now, ())]:
            estimate = known.get(path)
            if estimate is not None:
                if was is not None and any(move.changes.get(path) for move in between):
                    found.append(_Shift(path, estimate.value - was.value, was.u**2 + estimate.u**2, between))
                was, between = estimate, []
            between = [*between, *moves]
    return found


def _teaches(path: str, all_known: Sequence[Known]) -> bool:
    quantity = quantity_of(path)
    if quantity in LEARNED_WITH:
        return True
    axle = path.rsplit("/", 1)[0]
    return quantity == "bearing_deg" and not any(known.get(f"{axle}/left/toe_deg") for known in all_known)
