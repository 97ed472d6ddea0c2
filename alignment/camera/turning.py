"""How far a vehicle was rolled and its wheels steered since another moment, from one shot alone: for who pushes or steers.

A target that rolls or steers turns by as much as its wheel, wherever it hangs: the rotation between its two poses is all that is
needed, and no axis has to be known yet.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from alignment.camera.level import levelled
from alignment.camera.poses import agreeing, single_poses
from alignment.camera.shots import looked_of, setup_of
from alignment.camera.start import stood
from alignment.camera.views import rotation_vector
from alignment.model.formula import Array

Wheel = tuple[int, str]
_UP = np.array([0.0, 0.0, 1.0])


def turned_between(rig: Mapping[str, Any], first: Mapping[str, Any], now: Mapping[str, Any]) -> dict[Wheel, Array]:
    """Of each wheel whose target both shots show, by camera as ``look_at`` found it: its rotation vector (3,), degrees, about the
    rig's forward, left and upward directions. A wheel that rolls forward turns about left, one that steers to the left about up.
    """
    setup = setup_of(rig)
    shots = [{"found": found} for found in (first, now)]
    views = looked_of(setup, shots).views
    if not views:
        return {}
    cameras = levelled(setup.cameras, _UP if setup.up is None else setup.up)
    poses = agreeing(views, single_poses(views, [target.plate for target in setup.targets], cameras))
    return {
        (setup.targets[target].axle, setup.targets[target].side): np.degrees(rotation_vector(at[1][0] @ at[0][0].T))
        for target, at in stood(views, poses).items()
        if len(at) == len(shots)
    }
