"""What may have gone wrong while pictures were taken, each tried as a few unknowns more.

With ``h`` such unknowns, ``x`` all others, ``N`` normal matrices and ``g_h`` what still pulls at ``h`` where ``x`` fits best,
adding ``h`` would take

(1) ``g_hᵀ (N_hh - N_hx N_xx⁻¹ N_xh)⁻¹ g_h``

off the sum of squares: chi-square with as many degrees of freedom as ``h`` has unknowns where nothing is wrong (the score
test of Rao, 1948; for outliers in networks Baarda, 1968, from memory). The trial that explains most is what went wrong.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from alignment.camera.bundle import Adjusted
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
    """A few unknowns more: ``twists`` (v, 7, q) of the views in ``views``. ``gain`` is what they take off the sum of squares,
    ``turned_deg`` and ``moved_mm`` by how much plates would then stand elsewhere.
    """

    why: str
    target: int | None
    shot: int
    camera: int | None
    views: list[int]
    twists: Array
    gain: float = 0.0
    turned_deg: float = 0.0
    moved_mm: float = 0.0
    longer: float = 0.0

    @property
    def counts(self) -> bool:
        """Whether chance does not explain it, and it is large enough to matter."""
        turned, moved, longer = _MATTERS[self.why]
        matters = self.turned_deg > turned or self.moved_mm > moved or abs(self.longer) > longer
        return matters and survival(self.gain, self.twists.shape[2]) < _WRONG

    @property
    def unlikely(self) -> bool:
        """Whether it would have to be so large that anything else is likelier."""
        moved, longer = _LIKELY.get(self.why, (np.inf, np.inf))
        return self.moved_mm > moved or abs(self.longer) > longer


_QUIET = 25.0
"""Where no view's plate (six unknowns) would take more off, nothing is tried; chance gives it in 3 of 10,000 views."""
_WRONG = 1e-7
"""What chance gives as seldom went wrong: about a hundred things are tried."""
_AS_GOOD = 0.9
"""What explains so much of the most that anything explains is as good. Of two cameras either may have been knocked, since the
path takes up the rest: both are named.
"""
_TOLD = 1e-6
"""An unknown of which less than this share is left beside the others cannot be told from them."""
_MATTERS = {
    "slipped": (0.06, 1.5, np.inf),
    "moved": (0.06, 1.5, np.inf),
    "brakes": (0.2, np.inf, np.inf),
    "knocked": (0.02, 1.0, np.inf),
    "settled": (0.03, 0.8, np.inf),
    "focal": (np.inf, np.inf, 1e-3),
}
"""Turned by so many degrees, moved by so many mm, a focal length off by such a share: less changes no reading by its own
uncertainty, and a yard that is not quite flat does as much. A choice.
"""


_LIKELY = {"settled": (10.0, np.inf), "focal": (np.inf, 0.2)}
"""How far a vehicle settles between two shots, mm, and by what share a focal length changes, at most. A choice: a knock of a
tenth of a degree looks like a vehicle that sank by centimetres on one side.
"""


def worst_doubt(setup: Setup, adjusted: Adjusted) -> Doubt | None:
    """What went wrong first of all; None where nothing did."""
    if not _any_doubt(adjusted):
        return None
    found = [trial for trial in trials(setup, adjusted) if trial.counts]
    if not found:
        return None
    found = [trial for trial in found if not trial.unlikely] or found
    # A turn of degrees is not quite what a small one is: of what explains nearly as much the simplest is taken.
    most = max(trial.gain for trial in found)
    good = [trial for trial in found if trial.gain > _AS_GOOD * most]
    first = min(good, key=lambda trial: (trial.twists.shape[2], -trial.gain))
    like = [one for one in found if (one.why, one.shot) == ("knocked", first.shot) and one.gain > _AS_GOOD * first.gain]
    return _named(setup, adjusted, first, [one.camera for one in like if one.camera is not None])


def _any_doubt(adjusted: Adjusted) -> bool:
    """Whether any view's plate would rather stand elsewhere: the quick look that nearly always ends it."""
    twist = slice(0, TWIST)
    normal, pull = adjusted.normal[:, twist, twist], adjusted.pull[:, twist]
    gains = np.einsum("vi,vi->v", pull, np.linalg.solve(normal, pull[:, :, None])[:, :, 0])
    return bool((gains > _QUIET).any())


def trials(setup: Setup, adjusted: Adjusted) -> list[Trial]:
    """Everything that may have gone wrong with what it would explain, the best explanation first."""
    tester = _Tester(adjusted)
    found = [tester.tried(trial) for trial in _all(setup, adjusted)]
    return sorted((trial for trial in found if trial is not None), key=lambda trial: -trial.gain)


_LIFTS = np.eye(ROWS)[:, [5, 0, 1]]
"""Up, and leaning about x and y."""


def _all(setup: Setup, adjusted: Adjusted) -> Iterator[Trial]:
    views = adjusted.dots.views
    path = sorted({view.shot for view in views if setup.shots[view.shot].move != "still"})
    for target in sorted(adjusted.scene.wheels):
        yield from _of_wheel(setup, adjusted, target, path)
    for camera in range(len(adjusted.scene.cameras)):
        mine = [number for number, view in enumerate(views) if view.camera == camera]
        if mine:
            yield Trial("focal", None, 0, camera, mine, np.tile(np.eye(ROWS)[:, TWIST:], (len(mine), 1, 1)))
    for shot in path[1:]:
        late = [number for number, view in enumerate(views) if view.shot >= shot]
        yield Trial("settled", None, shot, None, late, np.tile(_LIFTS, (len(late), 1, 1)))
        for camera in range(len(adjusted.scene.cameras)):
            mine = [number for number in late if views[number].camera == camera]
            if mine and len(mine) < len(late):
                yield Trial("knocked", None, shot, camera, mine, np.tile(np.eye(ROWS)[:, :TWIST], (len(mine), 1, 1)))


def _of_wheel(setup: Setup, adjusted: Adjusted, target: int, path: Sequence[int]) -> Iterator[Trial]:
    views, at = adjusted.dots.views, adjusted.columns.own[target]
    mine = [number for number, view in enumerate(views) if view.target == target and view.shot in path]
    shots = sorted({views[number].shot for number in mine})
    for shot in shots:
        late = [number for number in mine if views[number].shot >= shot]
        once = [number for number in mine if views[number].shot == shot]
        if shot != shots[0]:
            twists = np.array([adjusted.stands[number].own[:, at["plate"]] for number in late])
            yield Trial("slipped", target, shot, None, late, twists)
        if setup.shots[shot].move == "roll":
            yield Trial("moved", target, shot, None, once, np.tile(np.eye(ROWS)[:, :TWIST], (len(once), 1, 1)))
        elif "held" in at:
            for some in (once, late):
                rolls = np.array([adjusted.stands[number].own[:, at["held"]] for number in some])
                yield Trial("brakes", target, shot, None, some, rolls)


class _Tester:
    """The score test of (1) about one adjusted scene."""

    def __init__(self, adjusted: Adjusted) -> None:
        self._adjusted = adjusted
        self._by_own = [adjusted.normal[n] @ stand.own for n, stand in enumerate(adjusted.stands)]
        self._by_common = [adjusted.normal[n] @ stand.common for n, stand in enumerate(adjusted.stands)]

    def tried(self, trial: Trial) -> Trial | None:
        """The trial with its gain; None where the dots could not tell it from what is unknown anyway."""
        adjusted, count = self._adjusted, trial.twists.shape[2]
        own = {target: np.zeros((count, adjusted.columns.count(target))) for target in adjusted.scene.wheels}
        shared, square, pull = np.zeros((count, adjusted.columns.common)), np.zeros((count, count)), np.zeros(count)
        for number, twist in zip(trial.views, trial.twists, strict=True):
            own[adjusted.dots.views[number].target] += twist.T @ self._by_own[number]
            shared += twist.T @ self._by_common[number]
            square += twist.T @ adjusted.normal[number] @ twist
            pull += twist.T @ adjusted.pull[number]
        left = square - adjusted.covariance(own, shared)
        size = np.sqrt(np.maximum(square.diagonal(), np.finfo(float).tiny))
        values, vectors = np.linalg.eigh(left / size[:, None] / size)
        told = values > _TOLD
        if not told.any():
            return None
        along = vectors[:, told].T @ (pull / size)
        trial.gain = float((along * along / values[told]).sum())
        self._size_up(trial, (vectors[:, told] @ (along / values[told])) / size)
        return trial

    def _size_up(self, trial: Trial, found: Array) -> None:
        """By how much the plates of a trial's views would stand elsewhere: the most of them."""
        for number, twist in zip(trial.views, trial.twists @ found, strict=True):
            place = self._adjusted.stands[number].place[1]
            trial.turned_deg = max(trial.turned_deg, float(np.degrees(np.linalg.norm(twist[:3]))))
            trial.moved_mm = max(trial.moved_mm, float(np.linalg.norm(np.cross(twist[:3], place) + twist[3:TWIST])))
            trial.longer = float(twist[TWIST])


def _named(setup: Setup, adjusted: Adjusted, trial: Trial, cameras: Sequence[int]) -> Doubt:
    """What a trial means: which warning, and what is left out. ``cameras`` are those that may as well have been knocked."""
    half = _half_hidden(setup, adjusted, trial)
    if half is not None:
        # A picture of which little is left is easily a little off: it is left out before its wheel is.
        return Doubt(
            [Warned(half.target, "missed", {"shot": half.shot, "camera": half.camera, "why": "hidden"})],
            lambda view: (view.target, view.shot, view.camera) == (half.target, half.shot, half.camera),
        )
    rolls = setup.taken("roll")
    data: dict[str, Any] = {
        "shot": trial.shot,
        "turned_deg": trial.turned_deg,
        "moved_mm": trial.moved_mm,
        "longer": trial.longer,
    }
    if trial.target is not None:
        # A plate that slipped after the last roll, or a wheel that rolled on, spoils the sweep alone.
        in_sweep = trial.why == "brakes" or trial.shot > rolls[-1]
        why = "brakes" if trial.why == "brakes" else "axis"
        return Doubt(
            [Warned(trial.target, why, data)],
            lambda view: view.target == trial.target and (not in_sweep or setup.shots[view.shot].move == "sweep"),
        )
    if trial.why == "focal":
        return Doubt([Warned(None, "focal", data, None, trial.camera)], lambda view: view.camera == trial.camera)
    # Of the two parts of the roll the longer stays.
    before = sum(shot < trial.shot for shot in rolls)
    first = 2 * before >= len(rolls)
    said: list[int | None] = [*cameras] if trial.why == "knocked" else [None]
    data["cameras"] = cameras
    return Doubt(
        [Warned(None, trial.why, data, trial.shot, camera) for camera in said],
        lambda view: (None in said or view.camera in said) and (view.shot >= trial.shot) == first,
    )


_WHOLE = 0.7
"""Of a plate's dots: where a picture shows less of them, its target is half hidden."""


def _half_hidden(setup: Setup, adjusted: Adjusted, trial: Trial) -> View | None:
    """The picture with the fewest dots of a wheel's trial, where its target is half hidden in it; None where there is none."""
    if trial.target is None:
        return None
    whole = _WHOLE * len(setup.targets[trial.target].plate.dots)
    mine = [view for view in adjusted.dots.views if (view.target, view.shot) == (trial.target, trial.shot)]
    fewest = min(mine, key=lambda view: len(view.numbers), default=None)
    return fewest if fewest is not None and len(fewest.numbers) < whole else None
