"""Shots as they are taken one after another: each picture is looked at once, when it comes, and what was found in it is kept.

A *rig* is what a camera device says of itself: ``cameras``, ``targets`` and, where it has a level, ``up`` (devices.md), as in
a set-up's file. A *shot* is ``{"id", "move", "found"}``, ``found`` by camera what ``look_at`` gave; what a person knows it by, where that
is more than its place in the list, is ``called``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from alignment.camera.lens import Camera
from alignment.camera.measure import Looked, as_dict, followed, measured, readings_of
from alignment.camera.setups import FORMAT, VERSION, Setup, parse
from alignment.camera.views import View
from alignment.live.guide import FEWEST_ROLLS

OF_RIG = ("cameras", "targets", "up", "u_up_deg", "plumb", "u_plumb_deg")
_NAME = "stand"
_DIGITS = 4
"""Of a dot's middle, pixels: a hundredth of what the best camera scatters by."""


def setup_of(rig: Mapping[str, Any], shots: Sequence[Mapping[str, Any]] = (), phase: str = "before") -> Setup:
    """The set-up of a rig's shots. **Raises** JobFileError for a rig that is not as the contract has it."""
    taken = [
        {"id": called, "move": shot["move"], "pictures": {name: f"{called} of camera {name}" for name in shot["found"]}}
        for number, shot in enumerate(shots, start=1)
        for called in [str(shot.get("called", number))]
    ]
    # A rig alone is checked as the file of a roll that is still to come.
    taken = taken or [
        {"id": f"s{number}", "move": "roll", "pictures": {_first_camera(rig): f"{number}.png"}}
        for number in range(FEWEST_ROLLS)
    ]
    own = {key: rig[key] for key in OF_RIG if key in rig}
    return parse({"format": FORMAT, "version": VERSION, "rig": _NAME, "phase": phase, "shots": taken, **own}, Path())


def _first_camera(rig: Mapping[str, Any]) -> str:
    cameras = rig.get("cameras")
    first = cameras[0] if isinstance(cameras, list) and cameras else {}
    return str(first.get("id")) if isinstance(first, Mapping) else ""


def look_at(rig: Mapping[str, Any], camera: str, raw: bytes) -> dict[str, Any]:
    """What is found in one picture, by target: ``numbers`` and ``pixels`` of its dots, how many were ``found`` and
    ``hidden``; or why it was ``missed``. **Raises** JobFileError, and PictureError for a picture that cannot be read.
    """
    setup = setup_of(rig)
    return found_in(setup, raw, next(one for one in setup.cameras if one.id == camera))


def found_in(setup: Setup, raw: bytes, eye: Camera) -> dict[str, Any]:
    """The same of a picture that was taken by a camera as ``eye`` has it."""
    from alignment.camera.detect import Missed, find_targets
    from alignment.camera.pictures import decode

    found = find_targets(decode(raw, eye.size), [target.plate for target in setup.targets], eye)
    return {
        setup.targets[number].id: {"missed": one.why}
        if isinstance(one, Missed)
        else {
            "numbers": one.numbers.tolist(), "pixels": one.pixels.round(_DIGITS).tolist(), "found": one.found,
            "hidden": one.hidden,
        }
        for number, one in found.items()
    }  # fmt: skip


def enough(shots: Sequence[Mapping[str, Any]]) -> bool:
    """Whether so much was rolled that axes can be told."""
    return len([shot for shot in shots if shot["move"] == "roll"]) >= FEWEST_ROLLS


def measure_shots(rig: Mapping[str, Any], shots: Sequence[Mapping[str, Any]], phase: str = "before") -> dict[str, Any]:
    """The pictures-results of shots (devices.md, section 2). **Raises** JobFileError, with its pointers into the set-up that
    ``setup_of`` gives.
    """
    setup = setup_of(rig, shots, phase)
    looked = looked_of(setup, shots)
    return as_dict(setup, looked, measured(setup, looked))


class Rolled:
    """What shots of a roll told, kept: what the cameras see then is measured without fitting the roll again."""

    def __init__(self, rig: Mapping[str, Any], shots: Sequence[Mapping[str, Any]]) -> None:
        """**Raises** JobFileError, and ValueError where the shots tell of no wheel."""
        setup = setup_of(rig, shots)
        self._rig, self._shots = rig, list(shots)
        self._before = measured(setup, looked_of(setup, shots))
        if self._before.fitted.adjusted is None:
            raise ValueError("expected shots that tell of wheels; they tell of none")

    def now(self, found: Mapping[str, Any]) -> list[dict[str, Any]]:
        """The readings of the vehicle as it stands in one more shot, by camera as ``look_at`` found it; of the wheels seen in it."""
        still = {"move": "still", "found": found}
        setup = setup_of(self._rig, [*self._shots, still])
        views = [view._replace(shot=len(self._shots)) for view in looked_of(setup, [still]).views]
        return readings_of(setup, followed(setup, self._before, views)) if views else []


def looked_of(setup: Setup, shots: Sequence[Mapping[str, Any]]) -> Looked:
    """What was found in shots, as pictures that are looked at together give it."""
    from alignment.camera.detect import Missed

    targets = {target.id: number for number, target in enumerate(setup.targets)}
    looked = Looked([], {}, {}, {}, {})
    for shot, one in enumerate(shots):
        for camera, eye in enumerate(setup.cameras):
            for name, seen in one["found"].get(eye.id, {}).items():
                target = targets[name]
                if "missed" in seen:
                    looked.missed[shot, camera, target] = Missed(seen["missed"])
                    continue
                numbers = np.array(seen["numbers"], dtype=np.intp)
                looked.views.append(View(target, shot, camera, numbers, np.array(seen["pixels"], dtype=float)))
                looked.dots[target] = looked.dots.get(target, 0) + seen["found"]
                looked.hidden[shot, camera, target] = seen["hidden"]
                dropped = max(seen["found"] - len(numbers), 0)
                looked.dropped[target] = looked.dropped.get(target, 0) + dropped
    return looked
