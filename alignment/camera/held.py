"""A calibration as its pictures are taken, one after another, of a target that a person holds about: each is looked at once, and
its dots are kept.

A *rig* is what a camera device says of itself (``shots``); a *shot* is ``{"found": …}``, by camera what ``look_at`` gave.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np

from alignment.camera import calibration
from alignment.camera.lens import REARWARD
from alignment.camera.shots import found_in, looked_of, setup_of

FEWEST, WANTED = calibration.FEWEST_PICTURES, calibration.WANTED_PICTURES
BOTH_WANTED = 6
"""Shots that two cameras see together tell well how they stand to each other; a choice."""
CELLS = calibration.CELLS


def look_at(rig: Mapping[str, Any], camera: str, raw: bytes) -> dict[str, Any]:
    """What is found in one picture, as ``shots.look_at`` says it. Nothing is taken from the certificate that there is.

    **Raises** JobFileError, and PictureError for a picture that cannot be read.
    """
    setup = setup_of(rig)
    size = next(one.size for one in setup.cameras if one.id == camera)
    return found_in(setup, raw, calibration.usual(camera, size))


class Seen(NamedTuple):
    """In how many pictures each camera sees a target, and in how many shots two cameras see one together."""

    by_camera: dict[str, int]
    together: int


def seen_in(rig: Mapping[str, Any], shots: Sequence[Mapping[str, Any]]) -> Seen:
    """How often targets are seen in shots."""
    names = [one["id"] for one in rig["cameras"]]
    seen = [{name: _targets(shot["found"].get(name, {})) for name in names} for shot in shots]
    together = sum(any(one[a] & one[b] for n, a in enumerate(names) for b in names[n + 1 :]) for one in seen)
    return Seen({name: sum(len(one[name]) for one in seen) for name in names}, together)


def _targets(found: Mapping[str, Any]) -> set[str]:
    return {name for name, seen in found.items() if "missed" not in seen}


def next_words(seen: Seen, results: Mapping[str, Any] | None) -> str:
    """What to hold next, in a sentence or two; ``results`` are the calibration's, None while there are none."""
    first = next((name for name, count in seen.by_camera.items() if count < WANTED), None)
    if first is not None and not any(seen.by_camera.values()):
        return (
            f"Hold a printed target still before camera {first}, so that it fills about half of its picture, and take it. Then tilt it "
            "by 30 to 45° each way, and hold it into each corner."
        )
    if first is not None:
        count = seen.by_camera[first]
        least = "" if count >= FEWEST else f", at least {FEWEST}"
        return f"Camera {first}: {count} of {WANTED} pictures{least}. Tilt the target each way, and fill the parts that are still hatched."
    if len(seen.by_camera) > 1 and seen.together < BOTH_WANTED:
        return f"Hold the target where two cameras see it, near and far: {seen.together} of {BOTH_WANTED} shots."
    if results is not None and all(one["good"] for one in results["verdicts"]):
        return "That is enough. Use it, or take more pictures to make it surer."
    return "What would make it better is said below each camera."


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
    answer = calibration.as_dict(calibration.certify(known, looked_of(setup, shots).views))
    first = setup.cameras[0]
    # Of the calibration's frame, in which the first camera looks rearward from the origin, into the rig's.
    turn = first.rotation.T @ REARWARD
    for one in answer["cameras"]:
        one["rotation"] = (np.array(one["rotation"]) @ turn.T).tolist()
        one["position_mm"] = (turn @ np.array(one["position_mm"]) + first.position).tolist()
    return answer
