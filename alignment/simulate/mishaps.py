"""What goes wrong before cameras, planted in made-up scenarios, and how it must be named."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from alignment.camera.plates import Plate
from alignment.simulate.pictures import Conditions, Spot
from alignment.simulate.rigs import DEFAULT, RigKit, Scenario, stand
from alignment.simulate.rolling import Moment, Wheel, plates_at

_FOURTH = 3
FRONT_LEFT, FRONT_RIGHT, REAR_LEFT = (1, "left"), (1, "right"), (2, "left")


@dataclass(frozen=True)
class Mishap:
    """A scenario in which something went wrong. What is said must stand at one of ``pointers`` and have all of ``words`` in
    it; where it is ``refused`` that is a fault. ``spoils`` are the wheels that must not be told.
    """

    scenario: Scenario
    pointers: Sequence[str]
    words: Sequence[str]
    spoils: Sequence[Wheel] = ()
    refused: bool = False


def _usual(kit: RigKit) -> Conditions:
    return Conditions(noise=kit.noise, blur=kit.blur)


def _target(scenario: Scenario, wheel: Wheel) -> int:
    return [(one.axle, one.side) for one in scenario.wheels].index(wheel)


def _on_picture(
    scenario: Scenario, wheel: Wheel, shot: int, camera: str, share: tuple[float, float]
) -> tuple[float, float, float]:
    """Where a plate is on a picture, pixels, ``share`` of its half size to the right and down, and how large half of it is."""
    pose = plates_at(scenario.wheels, scenario.moments[shot])[wheel]
    eye = scenario.eyes[camera]
    wide, high = scenario.kit.plate.half_size
    seen = []
    for x, y in (share, (share[0] + 1, share[1])):
        near = eye.rotation @ (pose.place + pose.turn[:, 0] * wide * x + pose.turn[:, 1] * high * y - eye.position)
        seen.append(near[:2] / near[2] * np.array(eye.focal) + np.array(eye.principal))
    return float(seen[0][0]), float(seen[0][1]), float(np.linalg.norm(seen[1] - seen[0]))


def _with_spots(
    scenario: Scenario,
    wheel: Wheel,
    camera: str,
    shots: Sequence[int],
    share: tuple[float, float],
    size: float,
    light: float | None,
) -> Scenario:
    conditions = dict(scenario.conditions)
    for shot in shots:
        x, y, half = _on_picture(scenario, wheel, shot, camera, share)
        usual = conditions.get((shot, camera), _usual(scenario.kit))
        conditions[shot, camera] = replace(usual, spots=(*usual.spots, Spot(x, y, half * size, light)))
    return replace(scenario, conditions=conditions)


def _moments(scenario: Scenario, change: Callable[[int, Moment], Moment]) -> Scenario:
    return replace(scenario, moments=tuple(change(number, moment) for number, moment in enumerate(scenario.moments)))


def hidden(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """Somebody stands before a target in all but two roll shots."""
    made = stand(kit, seed)
    return Mishap(_with_spots(made, FRONT_LEFT, "A", range(2, len(made.moments)), (0, 0), 1.6, None), ["/targets/0"],
                  ["axle 1 left", "2 roll shots"], [FRONT_LEFT])  # fmt: skip


def half_hidden(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """A hand covers half of a target in one shot."""
    made = stand(kit, seed)
    return Mishap(
        _with_spots(made, FRONT_RIGHT, "B", [3], (0.9, 0.0), 0.95, None),
        ["/targets/1"],
        ["axle 1 right", "hidden", "s3-b.png"],
    )


def unfocused(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """One camera is out of focus."""
    made = stand(kit, seed)
    blurred = replace(_usual(kit), blur=3.5)
    return Mishap(replace(made, conditions={(shot, "A"): blurred for shot in range(len(made.moments))}), ["/targets/0", "/targets/2"],
                  ["left", "focus"], [FRONT_LEFT, REAR_LEFT])  # fmt: skip


def overexposed(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """The sun on one target."""
    made = stand(kit, seed)
    return Mishap(
        _with_spots(made, FRONT_LEFT, "A", range(len(made.moments)), (0, 0), 3.0, 1.2),
        ["/targets/0"],
        ["axle 1 left", "overexposed"],
        [FRONT_LEFT],
    )


def far(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """A target too small for its distance: as if it hung far away."""
    made = stand(kit, seed)
    small = Plate(10, 8, 19.5, 10.4, 23.4)
    return Mishap(
        replace(made, kit=replace(kit, plate=small)), ["/targets/2", "/targets/3"], ["axle 2", "small"], [REAR_LEFT]
    )


def oblique(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """A target turned so far away that its dots are lines."""
    made = stand(kit, seed)
    wheels = tuple(
        replace(one, askew=(0.0, 8.0, 0.0)) if (one.axle, one.side) == FRONT_LEFT else one for one in made.wheels
    )
    return Mishap(replace(made, wheels=wheels), ["/targets/0"], ["axle 1 left"], [FRONT_LEFT])


def slipped(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """A target slips on its rim before the third roll shot, and stays so."""
    made = stand(kit, seed)
    size = 0.7 + np.random.default_rng(seed).uniform(0, 1.5)
    return Mishap(_moments(made, lambda n, one: replace(one, slipped={FRONT_LEFT: size}) if n >= 2 else one), ["/targets/0"],  # noqa: PLR2004 - third
                  ["axle 1 left", "one axis"], [FRONT_LEFT])  # fmt: skip


def swapped(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """Two targets hang on each other's wheels."""
    made = stand(kit, seed)
    keys = [(one.axle, one.side) for one in made.wheels]
    first, second = (keys[int(n)] for n in np.random.default_rng(seed).choice(len(keys), 2, replace=False))
    pointers = [f"/targets/{keys.index(key)}" for key in (first, second)]
    return Mishap(replace(made, order={first: second, second: first}), pointers, ["hangs on"], keys, refused=True)


def short(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """The vehicle is rolled by less than is needed."""
    made = stand(kit, seed, rolls=(0, -2, -4, -6))
    return Mishap(
        made, [f"/targets/{number}" for number in range(4)], ["rolled only", "at least 8"], [FRONT_LEFT, FRONT_RIGHT]
    )


def steered(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """The steering turned during the roll."""
    made = stand(kit, seed)
    size = 0.5 + np.random.default_rng(seed).uniform(0, 1.0)
    turned = {FRONT_LEFT: size, FRONT_RIGHT: size}
    return Mishap(_moments(made, lambda n, one: replace(one, steered=turned) if n in (3, 4) else one), ["/targets/0", "/targets/1"],
                  ["axle 1", "one axis"], [FRONT_LEFT, FRONT_RIGHT])  # fmt: skip


def brakes(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """A wheel rolls on during the sweep, before its third shot."""
    made = stand(kit, seed)
    size = 1.0 + np.random.default_rng(seed).uniform(0, 2.0)
    third = [one.move for one in made.moments].index("sweep") + 2

    def rolled_on(number: int, one: Moment) -> Moment:
        return (
            replace(one, rolled={**one.rolled, FRONT_LEFT: one.rolled[FRONT_LEFT] + size}) if number >= third else one
        )

    return Mishap(_moments(made, rolled_on), ["/targets/0"], ["axle 1 left", "brakes"])


def knocked(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """A camera is knocked before the fourth roll shot."""
    made = stand(kit, seed)
    rng = np.random.default_rng(seed)
    turn = np.radians(rng.normal(0, 0.15, 3) + 0.1)
    return Mishap(replace(made, knocked=("B", 3, turn)), ["/shots/3/pictures/B"], ["camera B", "knocked"])


def settled(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """The vehicle sinks between two shots."""
    made = stand(kit, seed)
    size = -1.5 - np.random.default_rng(seed).uniform(0, 3.0)
    sunk = _moments(made, lambda n, one: replace(one, up=size) if n >= _FOURTH else one)
    return Mishap(sunk, ["/shots/3"], ["the vehicle", "sank"])


def zoomed(seed: int, kit: RigKit = DEFAULT) -> Mishap:
    """A camera's focal length is no longer that of its certificate."""
    made = stand(kit, seed)
    eyes = dict(made.eyes)
    longer = 1.02 if seed % 2 else 0.98
    eyes["A"] = replace(eyes["A"], focal=(eyes["A"].focal[0] * longer, eyes["A"].focal[1] * longer))
    return Mishap(replace(made, eyes=eyes), ["/cameras/0/focal_px"], ["camera A", "focal length"])


MISHAPS: Mapping[str, Callable[..., Mishap]] = {
    one.__name__: one
    for one in (hidden, half_hidden, unfocused, overexposed, far, oblique, slipped, swapped, short, steered, brakes, knocked, settled, zoomed)
}  # fmt: skip


def rightly_named(mishap: Mishap, said: Sequence[Mapping[str, Any]], told: Sequence[Mapping[str, Any]]) -> bool:
    """Whether what went wrong is said where it belongs, in its words, and no spoilt wheel is told."""
    here = [one["message"] for one in said if one["pointer"] in mishap.pointers]
    wheels = {(one["axle"], one["side"]) for one in told}
    return any(all(word in message for word in mishap.words) for message in here) and not wheels & set(mishap.spoils)
