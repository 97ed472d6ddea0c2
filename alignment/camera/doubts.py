"""What may have gone wrong while pictures were taken, each tried as a few unknowns more.

With ``h`` such unknowns, ``x`` all others, ``N`` normal matrices and ``g_h`` what still pulls at ``h`` where ``x`` fits best, adding ``h`` would take

(1) ``g_hᵀ (N_hh - N_hx N_xx⁻¹ N_xh)⁻¹ g_h``

off the sum of squares: chi-square with as many degrees of freedom as ``h`` has unknowns where nothing is wrong (the score test of Rao, 1948; for outliers in
networks Baarda, 1968, from memory). The trial that explains most is what went wrong.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from alignment.camera.bundle import Adjusted
from alignment.camera.model import about, after, carry
from alignment.camera.setups import Setup
from alignment.camera.views import ROWS, TWIST, View
from alignment.estimate.chisquare import survival
from alignment.model.formula import Array


class Warned(NamedTuple):
    """Something wrong with a target, or where ``target`` is None with a picture or shot: a code, and what belongs to it."""

    target: int | None
    why: str
    data: Mapping[str, Any]
    shot: int | None = None
    camera: int | None = None


@dataclass
class Doubt:
    """What went wrong, and which views must be left out for it."""

    warned: list[Warned]
    leaves_out: Callable[[View], bool]


@dataclass
class Trial:
    """A few unknowns more: ``twists`` (v, 7, q) of the views in ``views``. ``gain`` is what they take off, ``size`` (q,) what they are."""

    why: str
    target: int | None
    shot: int
    camera: int | None
    views: list[int]
    twists: Array
    gain: float = 0.0
    size: Array = field(default_factory=lambda: np.zeros(0))

    @property
    def chance(self) -> float:
        """How likely such a gain is where nothing is wrong."""
        return survival(self.gain, self.twists.shape[2])


QUIET = 60.0
"""A view whose own plate would take less off (six unknowns) agrees with the others; chance gives 40 in one of a million."""
WRONG = 1e-9
"""What chance gives as seldom as this went wrong."""


def trials(setup: Setup, adjusted: Adjusted) -> list[Trial]:
    """Everything that may have gone wrong, each with what it would explain."""
    tester = _Tester(adjusted)
    found = [tester.tried(trial) for trial in _all(setup, adjusted)]
    return sorted((trial for trial in found if trial is not None), key=lambda trial: -_worth(trial))


def _worth(trial: Trial) -> float:
    """The gain less what chance gives for each unknown more (a penalty of ten for each, as in the criterion of Schwarz)."""
    return trial.gain - 10.0 * trial.twists.shape[2]


def _all(setup: Setup, adjusted: Adjusted) -> Iterator[Trial]:
    views = adjusted.dots.views
    shots = sorted({view.shot for view in views})
    rolls = [shot for shot in shots if setup.shots[shot].move == "roll"]
    path = [shot for shot in shots if setup.shots[shot].move != "still"]
    for target in sorted(adjusted.scene.wheels):
        yield from _of_wheel(setup, adjusted, target, path)
    for shot in path[1:]:
        late = [
            number for number, view in enumerate(views) if view.shot >= shot and setup.shots[view.shot].move != "still"
        ]
        for camera in range(len(adjusted.scene.cameras)):
            mine = [number for number in late if views[number].camera == camera]
            others = [number for number in range(len(views)) if views[number].camera != camera]
            if mine and others:
                yield Trial("knocked", None, shot, camera, mine, np.tile(np.eye(ROWS)[:, :TWIST], (len(mine), 1, 1)))
        yield Trial("settled", None, shot, None, late, np.tile(np.eye(ROWS)[:, [2, 0, 1][:0] + [5]], (len(late), 1, 1)))
    del rolls


def _of_wheel(setup: Setup, adjusted: Adjusted, target: int, path: Sequence[int]) -> Iterator[Trial]:
    views = adjusted.dots.views
    at = adjusted.columns.own[target]
    mine = [number for number, view in enumerate(views) if view.target == target and view.shot in path]
    shots = sorted({views[number].shot for number in mine})
    for shot in shots[1:]:
        late = [number for number in mine if views[number].shot >= shot]
        twists = np.array([adjusted.stands[number].own[:, at["plate"]] for number in late])
        yield Trial("slipped", target, shot, None, late, twists)
    for shot in shots:
        once = [number for number in mine if views[number].shot == shot]
        move = setup.shots[shot].move
        if move == "roll":
            yield Trial("moved", target, shot, None, once, np.tile(np.eye(ROWS)[:, :TWIST], (len(once), 1, 1)))
        else:
            yield Trial(
                "brakes",
                target,
                shot,
                None,
                once,
                np.array([adjusted.stands[number].own[:, at["held"]] for number in once]),
            )


class _Tester:
    """The score test of (1) about one adjusted scene."""

    def __init__(self, adjusted: Adjusted) -> None:
        self._adjusted = adjusted
        self._by_own = [adjusted.normal[n] @ stand.own for n, stand in enumerate(adjusted.stands)]
        self._by_common = [adjusted.normal[n] @ stand.common for n, stand in enumerate(adjusted.stands)]

    def tried(self, trial: Trial) -> Trial | None:
        """The trial with its gain; None where the dots could not tell it from what is unknown anyway."""
        adjusted, count = self._adjusted, trial.twists.shape[2]
        own: dict[int, Array] = {}
        shared, square, pull = np.zeros((count, adjusted.columns.common)), np.zeros((count, count)), np.zeros(count)
        for number, twist in zip(trial.views, trial.twists, strict=True):
            target = adjusted.dots.views[number].target
            by = twist.T
            own[target] = own.get(target, 0.0) + by @ self._by_own[number]
            shared += by @ self._by_common[number]
            square += by @ adjusted.normal[number] @ twist
            pull += by @ adjusted.pull[number]
        left = square - adjusted.covariance(own, shared)
        size = np.sqrt(np.maximum(square.diagonal(), 1e-300))
        values, vectors = np.linalg.eigh(left / size[:, None] / size)
        told = values > _TOLD
        if not told.any():
            return None
        along = vectors[:, told].T @ (pull / size)
        trial.gain = float((along * along / values[told]).sum())
        trial.size = (vectors[:, told] @ (along / values[told])) / size
        return trial


_TOLD = 1e-6
"""An unknown of which less than this share is left beside the others cannot be told from them."""


def worst_doubt(setup: Setup, adjusted: Adjusted) -> Doubt | None:
    """What went wrong first of all; None where nothing did."""
    if not _any_doubt(adjusted):
        return None
    found = trials(setup, adjusted)
    if not found or found[0].chance > WRONG:
        return None
    return _named(setup, adjusted, found)


def _any_doubt(adjusted: Adjusted) -> bool:
    """Whether any view's plate would rather stand elsewhere: the quick look that nearly always ends it."""
    twist = slice(0, TWIST)
    normal, pull = adjusted.normal[:, twist, twist], adjusted.pull[:, twist]
    gains = np.einsum("vi,vi->v", pull, np.linalg.solve(normal, pull[:, :, None])[:, :, 0])
    return bool((gains > QUIET).any())


def _named(setup: Setup, adjusted: Adjusted, found: Sequence[Trial]) -> Doubt:
    first = found[0]
    if first.target is not None:
        return Doubt(
            [Warned(first.target, first.why, {"shot": first.shot, "size": first.size})],
            lambda view: view.target == first.target,
        )
    return Doubt(
        [Warned(None, first.why, {"size": first.size}, first.shot, first.camera)],
        lambda view: view.shot >= first.shot and first.camera in (None, view.camera),
    )


__all__ = ["Doubt", "Trial", "Warned", "about", "after", "carry", "trials", "worst_doubt"]
