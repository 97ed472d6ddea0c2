"""A calibration as its pictures are taken, one after another, of a target that a person holds about: each is looked at once, and
its dots are kept.

A *rig* is what a camera device says of itself (``shots``); a *shot* is ``{"found": …}``, by camera what ``look_at`` gave.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np

from alignment.camera import calibration
from alignment.camera.lens import REARWARD
from alignment.camera.setups import Setup
from alignment.camera.shots import as_found, setup_of
from alignment.camera.views import View

FEWEST, WANTED = calibration.FEWEST_PICTURES, calibration.WANTED_PICTURES


def look_at(rig: Mapping[str, Any], camera: str, raw: bytes) -> dict[str, Any]:
    """What is found in one picture, as ``shots.look_at`` says it. Nothing is taken from the certificate that there is.

    **Raises** JobFileError, and PictureError for a picture that cannot be read.
    """
    from alignment.camera.detect import find_targets
    from alignment.camera.pictures import decode

    setup = setup_of(rig)
    size = next(one.size for one in setup.cameras if one.id == camera)
    found = find_targets(decode(raw, size), [one.plate for one in setup.targets], calibration.usual(camera, size))
    return as_found(setup, found)


def counts(rig: Mapping[str, Any], shots: Sequence[Mapping[str, Any]]) -> dict[str, int]:
    """In how many pictures each camera sees a target; under the empty name in how many shots two cameras see one."""
    names = [one["id"] for one in rig["cameras"]]
    seen = [{name: _targets(shot["found"].get(name, {})) for name in names} for shot in shots]
    found = {name: sum(len(one[name]) for one in seen) for name in names}
    both = sum(any(one[a] & one[b] for n, a in enumerate(names) for b in names[n + 1 :]) for one in seen)
    return {**found, "": both}


def _targets(found: Mapping[str, Any]) -> set[str]:
    return {name for name, seen in found.items() if "missed" not in seen}


def certificates(rig: Mapping[str, Any], shots: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """The calibration's results (docs/pictures.md), its cameras as they stand in the rig's frame: the first where the rig says
    that it stands, the others by it. **Raises** JobFileError where too little was seen.
    """
    setup = setup_of(rig)
    known = calibration.Setup(
        tuple((one.id, one.size) for one in setup.cameras),
        tuple((one.id, one.plate) for one in setup.targets),
        (),
        setup.folder,
    )
    answer = calibration.as_dict(calibration.certify(known, list(_views(setup, shots))))
    first = setup.cameras[0]
    # Of the calibration's frame, in which the first camera looks rearward from the origin, into the rig's.
    turn = first.rotation.T @ REARWARD
    for one in answer["cameras"]:
        one["rotation"] = (np.array(one["rotation"]) @ turn.T).tolist()
        one["position_mm"] = (turn @ np.array(one["position_mm"]) + first.position).tolist()
    return answer


def _views(setup: Setup, shots: Sequence[Mapping[str, Any]]) -> Iterator[View]:
    targets = {target.id: number for number, target in enumerate(setup.targets)}
    for number, shot in enumerate(shots):
        for camera, eye in enumerate(setup.cameras):
            for name, seen in shot["found"].get(eye.id, {}).items():
                if "missed" not in seen:
                    dots = np.array(seen["numbers"], dtype=np.intp)
                    yield View(targets[name], number, camera, dots, np.array(seen["pixels"], dtype=float))
