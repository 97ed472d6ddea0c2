"""What a turn really does, learned from the readings after it.

An adjuster's real effect is its nominal one times a share. Before anything is turned the share is believed to be about 1,
or what earlier vehicles of the model taught; adjusters of one family (the same part with the same dimensions) are believed
to err alike, so that what one teaches counts for the next. Readings before and after moves say how far results really
moved, which is linear in the shares of all that was moved between: one Gaussian regression with a prior (Bayes; see for
instance the linear Gaussian model in any text on estimation, named from memory).

A knuckle that is leaned turns a little too, by as much as the tie rod's height asks. How much toe comes with a degree of
camber is not known before: 0, with the doubt of KNUCKLE_U, until the toe is read again after a camber was moved.
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
KNUCKLE = "knuckle"
"""How what a knuckle does is named among the families of what is learned."""
LEARNED_WITH = ("toe_deg", "camber_deg", "caster_deg")
"""Wheel angles that teach, and an axle's offset; its bearing and total toe where its wheels' toes are not known."""
BETWEEN_U = 0.15
"""By how much vehicles of one model differ in what an adjuster does (rust, wear, another supplier's part). An assumption,
no source.
"""
KNUCKLE_U = 0.8
"""Standard uncertainty of the toe that comes with a degree of camber, degrees: 0.2 to 1.7 of either sign (a rigid knuckle's
reckoning; common practice, no source).
"""
KNUCKLES_DIFFER = 0.1
"""By how much it differs between the two wheels of an axle. An assumption, no source."""
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

    def leaned(self, path: str) -> float:
        """The camber that it changed on the wheel whose toe is at ``path``, degrees."""
        wheel, _, quantity = path.rpartition("/")
        return self.changes.get(f"{wheel}/camber_deg", 0.0) if quantity == "toe_deg" else 0.0


Known = Mapping[str, Estimate | None]


@dataclass(frozen=True)
class Learned:
    """Shares (n,) of the adjusters ``ids`` (n,) with their covariance (n, n), and which adjusters were moved and read again.

    ``knuckles`` (n,) name what each leans, empty where the toe that comes with camber is known; ``toes`` (n,) are the degrees of
    toe for each of camber, with ``toe_covariance`` (n, n).
    """

    ids: tuple[str, ...]
    families: tuple[str, ...]
    mean: Array
    covariance: Array
    toes: Array
    toe_covariance: Array
    taught: frozenset[str] = frozenset()

    @classmethod
    def before(cls, hardware: Iterable[Hardware], known: Mapping[str, Belief] | None = None) -> Learned:
        """What is believed before anything is moved; ``known`` from earlier vehicles, by family."""
        parts, known = list(hardware), known or {}
        names = tuple(part.family for part in parts)
        beliefs = [known.get(part.family) or Belief(1.0, part.doubt) for part in parts]
        u = np.array([belief.u for belief in beliefs])
        covariance = _alike(names) * np.outer(u, u) + OWN_U**2 * np.eye(len(names))
        knuckles = [part.knuckle for part in parts]
        toes = [known.get(f"{KNUCKLE} {name}") or Belief(0.0, KNUCKLE_U) for name in knuckles]
        lean_u = np.array([belief.u if name else 0.0 for name, belief in zip(knuckles, toes, strict=True)])
        own = np.diag([KNUCKLES_DIFFER**2 if name else 0.0 for name in knuckles])
        return cls(
            tuple(part.id for part in parts), names, np.array([belief.share for belief in beliefs]), covariance,
            np.array([b.share if n else 0.0 for n, b in zip(knuckles, toes, strict=True)]),
            _alike(knuckles) * np.outer(lean_u, lean_u) + own,
        )  # fmt: skip

    def of(self, adjuster: str) -> Belief:
        """The belief in one adjuster. **Raises** ValueError for one that is not known."""
        at = self.ids.index(adjuster)
        return Belief(float(self.mean[at]), math.sqrt(self.covariance[at, at]))

    def toe_of(self, adjuster: str) -> Belief:
        """The toe that is believed to come with a degree of camber when it is moved, degrees."""
        at = self.ids.index(adjuster)
        return Belief(float(self.toes[at]), math.sqrt(self.toe_covariance[at, at]))

    def effect(self, adjuster: str, effect: Mapping[str, float]) -> dict[str, float]:
        """What an adjuster's nominal effect is believed to be, by path: with the toe that comes with camber."""
        share, toe = self.of(adjuster).share, self.toe_of(adjuster).share
        found = {path: size * share for path, size in effect.items()}
        for path, size in effect.items():
            wheel, _, quantity = path.rpartition("/")
            if toe and quantity == "camber_deg":
                found[f"{wheel}/toe_deg"] = found.get(f"{wheel}/toe_deg", 0.0) + toe * share * size
        return found

    def family(self, name: str) -> Belief:
        """The belief in a family as a whole: what is kept for the model."""
        members = [at for at, family in enumerate(self.families) if family == name]
        block = self.covariance[np.ix_(members, members)]
        return Belief(float(self.mean[members].mean()), math.sqrt(block.mean()))

    def after(self, history: Sequence[tuple[Known, Sequence[Moved]]], now: Known) -> Learned:
        """What is believed after moves: ``history`` has the results known before each group of moves, oldest first."""
        rows, differences, variances, taught = [], [], [], set()
        count = len(self.ids)
        for shift in _shifts(history, now):
            row = np.zeros(2 * count)
            variance = shift.variance
            for move in shift.moves:
                at = self.ids.index(move.id) if move.id in self.ids else None
                change = move.changes.get(shift.path, 0.0)
                if at is None:
                    continue
                if change:
                    row[at] += change
                    variance += (STICK * change) ** 2 + (move.slack * change) ** 2
                    taught.add(move.id)
                if self.toe_covariance[at, at]:
                    row[count + at] += move.leaned(shift.path) * self.mean[at]
            if row.any():
                rows.append(row)
                differences.append(shift.change - row @ np.concatenate((self.mean, self.toes)))
                variances.append(variance)
        if not rows:
            return self
        matrix, none = np.array(rows), np.zeros((count, count))
        covariance = np.block([[self.covariance, none], [none, self.toe_covariance]])
        gain = covariance @ matrix.T @ np.linalg.inv(matrix @ covariance @ matrix.T + np.diag(variances))
        found, left = gain @ np.array(differences), covariance - gain @ matrix @ covariance
        return Learned(
            self.ids, self.families, self.mean + found[:count], left[:count, :count], self.toes + found[count:],
            left[count:, count:], frozenset(taught),
        )  # fmt: skip


def _alike(names: Sequence[str]) -> Array:
    """1 where two of the adjusters (n, n) are of one name, else 0; those without a name have nothing in common."""
    same = [[float(one == other and bool(one)) for other in names] for one in names]
    return np.array(same).reshape(len(names), len(names))


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
                if was is not None and any(move.changes.get(path) or move.leaned(path) for move in between):
                    found.append(_Shift(path, estimate.value - was.value, was.u**2 + estimate.u**2, between))
                was, between = estimate, []
            between = [*between, *moves]
    return found


def _teaches(path: str, all_known: Sequence[Known]) -> bool:
    quantity = quantity_of(path)
    if quantity in LEARNED_WITH:
        return True
    axle = path.rsplit("/", 1)[0]
    if quantity not in ("bearing_deg", "total_toe_deg"):
        return quantity == "offset_mm"
    return not any(known.get(f"{axle}/left/toe_deg") for known in all_known)
