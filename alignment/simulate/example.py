"""An example of each file of pictures, written to a folder: to try the commands with, and to see what good pictures look like."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from scipy.spatial.transform import Rotation

from alignment.camera.lens import REARWARD
from alignment.simulate.pictures import Conditions, Eye, Picture, Pose
from alignment.simulate.rigs import SMALL, Scenario, stand

_LENS_SHOTS, _BOTH_SHOTS = 14, 10
_FAR = {1: (1500.0, 2600.0), 2: (3400.0, 4400.0)}
"""From where to where a target is held before one camera, and before two, mm."""


def write(folder: Path, seed: int = 1) -> list[str]:
    """Write ``setup.json`` and ``calibration.json`` with their pictures; answers the files' names. **Raises** OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    scenario = stand(SMALL, seed)
    document = scenario.document()
    for shot, name, picture in scenario.pictures():
        _save(folder / document["shots"][shot]["pictures"][name], picture)
    _put(folder / "setup.json", document)
    held = calibration_document(scenario)
    for shot, name, picture in calibration_pictures(scenario, seed):
        _save(folder / held["shots"][shot]["pictures"][name], picture)
    _put(folder / "calibration.json", held)
    return ["setup.json", "calibration.json"]


def _save(path: Path, picture: Picture) -> None:
    path.write_bytes(cv2.imencode(".png", picture)[1].tobytes())


def _put(path: Path, document: dict[str, Any]) -> None:
    path.write_text(json.dumps(document, indent=1) + "\n", encoding="utf-8")


def _seen_by() -> list[str]:
    """Which cameras look at the target in each shot."""
    return ["A"] * _LENS_SHOTS + ["B"] * _LENS_SHOTS + ["AB"] * _BOTH_SHOTS


def calibration_document(scenario: Scenario) -> dict[str, Any]:
    """The file of a calibration of the scenario's two cameras with its first target."""
    target = {
        key: value
        for key, value in scenario.document()["targets"][0].items()
        if key not in ("axle", "side", "out_mm", "u_out_mm")
    }
    shots = [
        {"id": f"c{n}", "pictures": {one: f"c{n}-{one.lower()}.png" for one in names}}
        for n, names in enumerate(_seen_by())
    ]
    cameras = [{"id": name, "size": list(eye.size)} for name, eye in scenario.eyes.items()]
    return {"format": "rectaxis-calibration", "version": 1, "cameras": cameras, "targets": [target], "shots": shots}


def facing(scenario: Scenario) -> dict[str, Eye]:
    """The scenario's cameras turned towards each other's view, so that both see one target: a pair as it is calibrated."""
    eyes = {name: replace(eye, position=np.zeros(3), rotation=REARWARD) for name, eye in scenario.eyes.items()}
    turn = Rotation.from_euler("xyz", [1.0, -0.5, -12.0], degrees=True).inv().as_matrix()
    eyes["B"] = replace(eyes["B"], position=np.array([10.0, -800.0, 5.0]), rotation=REARWARD @ turn)
    return eyes


def calibration_pictures(scenario: Scenario, seed: int) -> Iterator[tuple[int, str, Picture]]:
    """Pictures of a target that is held about before each camera, and then where both see it."""
    rng = np.random.default_rng(seed)
    eyes, kit = facing(scenario), scenario.kit
    plate = replace(kit.plate, first_marker=0)
    half = np.array(kit.size) / 2 / kit.focal_px
    for shot, names in enumerate(_seen_by()):
        eye, far = eyes[names[0]], rng.uniform(*_FAR[len(names)])
        aside = (
            rng.uniform(-0.55, 0.55, 2) * half if len(names) == 1 else np.array([-0.55, rng.uniform(-0.4, 0.4)]) * half
        )
        tilts = rng.uniform(-40, 40, 3) * (1.0, 1.0, 0.4)
        turn = Rotation.from_euler("xyz", tilts, degrees=True).as_matrix()
        pose = Pose(eye.rotation.T @ turn, eye.rotation.T @ (np.array([*aside, 1.0]) * far) + eye.position)
        for name in names:
            yield shot, name, eyes[name].take([(plate, pose)], Conditions(noise=kit.noise, blur=kit.blur), rng)
