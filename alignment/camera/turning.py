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


def plates_of(rig: Mapping[str, Any], found: Mapping[str, Any]) -> dict[Wheel, Array]:
    """How each wheel's target is turned (3, 3) in the rig's frame, its z upward, in one shot, by camera as ``look_at`` found it."""
    setup = setup_of(rig)
    views = looked_of(setup, [{"found": found}]).views
    if not views:
        return {}
    cameras = levelled(setup.cameras, _UP if setup.up is None else setup.up)
    poses = agreeing(views, single_poses(views, [target.plate for target in setup.targets], cameras))
    return {
        (setup.targets[target].axle, setup.targets[target].side): at[0][0] for target, at in stood(views, poses).items()
    }


def turned_between(first: Mapping[Wheel, Array], now: Mapping[Wheel, Array]) -> dict[Wheel, Array]:
    """Of each wheel that ``plates_of`` two shots tell of, its rotation vector (3,), degrees, about the rig's forward, left and
    upward directions. A wheel that rolls forward turns about left, one that steers to the left about up.
    """
    return {wheel: np.degrees(rotation_vector(now[wheel] @ turn.T)) for wheel, turn in first.items() if wheel in now}
