"""Which doubts the readings of pictures lean on: dots, lens, the cameras' mutual pose, where plates sit, the level; and what
would better them.

With ``N`` the normal matrix, ``P_s`` what certificate ``s`` adds to it and ``r`` a result's slopes, ``s`` brings ``r N⁻¹ P_s
N⁻¹ rᵀ`` of the result's variance, the dots what the others leave: the shares add up to the whole.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from alignment.camera.bundle import Adjusted
from alignment.camera.measure import Looked, Measured, look, measured
from alignment.camera.pictures import Read
from alignment.camera.readings import by_level, out_covariance, slopes_of
from alignment.camera.setups import Setup
from alignment.judge.verdict import COVERAGE
from alignment.model.formula import Array
from alignment.model.vehicle import SIDES
from alignment.quantities import QUANTITIES

_BETTER = {
    "dots": "roll further and take more shots, or bring the cameras nearer",
    "lens": "calibrate the lens with more pictures, tilted more",
    "pose": "calibrate the cameras' mutual pose again, with a target that both see near and far, and fix them stiffly",
    "out": "measure how far the plates stand outboard (out_mm) more closely",
    "level": "put a better level on the rig, or level it with more care",
}
_NAMES = {
    "dots": "the dots", "lens": "the lenses", "pose": "the cameras' mutual pose", "out": "where the plates sit on the wheels", "level": "the level",
}  # fmt: skip


@dataclass(frozen=True)
class Leaning:
    """A result with its standard uncertainty, and the share (0 to 1) of its variance that each doubt brings, the largest
    first.
    """

    title: str
    unit: str
    u: float
    shares: dict[str, float]

    def say(self) -> str:
        """The result's sentence."""
        first, share = next(iter(self.shares.items()))
        size = f"{COVERAGE * self.u:.3f}°" if self.unit == "deg" else f"{COVERAGE * self.u:.2f} mm"
        return f"{self.title} is known within {size}. {share:.0%} of that is {_NAMES[first]}: to better it, {_BETTER[first]}."


def leanings(setup: Setup, found: Measured) -> list[Leaning]:
    """What total toe, camber, caster, SAI and track of each axle lean on, as far as the pictures tell them."""
    adjusted = found.fitted.adjusted
    if adjusted is None:
        return []
    parts = _parts(setup, adjusted, found)
    made = []
    for title, unit, weights in _wanted(found):
        shares = {name: float(weights @ part @ weights) for name, part in parts.items()}
        whole = float(weights @ found.covariance @ weights)
        shares["dots"] = max(whole - sum(shares.values()), 0.0)
        ranked = dict(sorted(((name, size / whole) for name, size in shares.items()), key=lambda one: -one[1]))
        made.append(Leaning(title, unit, whole**0.5, ranked))
    return made


def _parts(setup: Setup, adjusted: Adjusted, found: Measured) -> dict[str, Array]:
    """What each doubt but the dots adds to the rows' covariance (r, r)."""
    slopes = slopes_of(adjusted, found.told.rows)
    columns, priors = adjusted.columns, adjusted.columns.priors(setup.cameras)
    answers = adjusted.by_shared(slopes) @ adjusted.common
    parts = {name: np.zeros_like(found.covariance) for name in ("lens", "pose")}
    for (part, _), at in columns.shared.items():
        if part != "path":
            parts["lens" if part == "focal" else "pose"] += answers[:, at] * priors[at] @ answers[:, at].T
    follow = by_level(adjusted, found.told.rows)
    return parts | {"out": out_covariance(found.told.rows, setup.targets), "level": follow @ found.level @ follow.T}


def _wanted(found: Measured) -> Iterator[tuple[str, str, Array]]:
    """What a person asks for, as sums of rows: title, unit and weights (r,)."""
    rows, readings = found.told.rows, found.told.readings
    at = {
        (readings[reading]["axle"], readings[reading]["side"], name): n
        for n, (reading, name) in enumerate(rows.names)
        if "axle" in readings[reading]
    }

    def weights(keys: Sequence[tuple[int, str, str]]) -> Array:
        made = np.zeros(len(rows.values))
        made[[at[key] for key in keys]] = 1.0
        return made

    for axle in sorted({axle for axle, _, _ in at}):
        for name, quantity in (("toe", "total_toe_deg"), ("along", "track_mm")):
            both = [(axle, side, name) for side in SIDES]
            if all(key in at for key in both):
                yield f"The {QUANTITIES[quantity].label} of axle {axle}", QUANTITIES[quantity].unit, weights(both)
        for side in SIDES:
            for name in ("camber", "caster", "sai"):
                if (axle, side, name) in at:
                    title = f"The {side} {QUANTITIES[f'{name}_deg'].label} of axle {axle}"
                    yield title, "deg", weights([(axle, side, name)])


def explain(setup: Setup, read: Read, progress: Callable[[str], None] = lambda _: None) -> str:
    """Sentences on what the readings of a set-up's pictures lean on. **Raises** JobFileError."""
    looked: Looked = look(setup, read, progress)
    progress("fitting")
    told = leanings(setup, measured(setup, looked))
    return "\n".join(one.say() for one in told) or "The pictures tell of no wheel."
