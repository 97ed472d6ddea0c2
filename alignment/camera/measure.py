"""A set-up's pictures become readings: the whole chain, one step after another."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from alignment.camera import sentences
from alignment.camera.bundle import Adjusted
from alignment.camera.detect import Missed, find_targets, why_not
from alignment.camera.doubts import Warned
from alignment.camera.fit import Fitted, bundle_of, fit, turned
from alignment.camera.level import Ground, ground_under, levelled, rolling_radius, shortest_turn
from alignment.camera.order import misplaced
from alignment.camera.pictures import PictureError, Read
from alignment.camera.poses import agreeing, single_poses
from alignment.camera.readings import PlumbLine, Told, covariance, tell
from alignment.camera.setups import Setup
from alignment.camera.start import stood
from alignment.camera.views import View, turned_by
from alignment.errors import Fault, JobFileError
from alignment.live.guide import FEWEST_ROLLS
from alignment.model.formula import Array

FORMAT = "rectaxis-pictures-results"
VERSION = 1
Progress = Callable[[str], None]
_LEVEL = 1e-7
"""Radians: ground that is found to lean by less is level."""
_ROUNDS = 10
_PLAIN_UP = np.array([0.0, 0.0, 1.0])


@dataclass(frozen=True)
class Looked:
    """What was found in all pictures: ``views``, and by target how many dots were seen; ``missed`` and ``hidden`` (how many
    dots of a target that was seen) are by shot, camera and target.
    """

    views: list[View]
    dots: dict[int, int]
    dropped: dict[int, int]
    missed: dict[tuple[int, int, int], Missed]
    hidden: dict[tuple[int, int, int], int]


def look(setup: Setup, read: Read, progress: Progress = lambda _: None) -> Looked:
    """Find every target in every picture. **Raises** JobFileError for pictures that cannot be used."""
    plates = [target.plate for target in setup.targets]
    faults: list[Fault] = []
    found = Looked([], {}, {}, {}, {})
    total, done = sum(len(shot.pictures) for shot in setup.shots), 0
    for shot, one in enumerate(setup.shots):
        for number, camera in enumerate(setup.cameras):
            if camera.id not in one.pictures:
                continue
            done += 1
            progress(f"picture {done} of {total}")
            try:
                targets = find_targets(read(shot, camera.id), plates, camera)
            except PictureError as error:
                faults.append(Fault(sentences.picture_pointer(setup, shot, number), str(error)))
                continue
            for target, dots in targets.items():
                if isinstance(dots, Missed):
                    found.missed[shot, number, target] = dots
                    continue
                found.views.append(View(target, shot, number, dots.numbers, dots.pixels))
                found.dots[target] = found.dots.get(target, 0) + dots.found
                found.hidden[shot, number, target] = dots.hidden
                found.dropped[target] = found.dropped.get(target, 0) + max(dots.found - len(dots.numbers), 0)
    if faults:
        raise JobFileError(faults)
    _look_again(setup, read, found)
    return found


def _look_again(setup: Setup, read: Read, found: Looked) -> None:
    """Say why targets are missing that were seen too seldom, as far as their first pictures tell."""
    rolls = setup.taken("roll")
    for target, one in enumerate(setup.targets):
        seen = {view.shot for view in found.views if view.target == target}
        if len(seen.intersection(rolls)) >= FEWEST_ROLLS or any(key[2] == target for key in found.missed):
            continue
        for shot in [shot for shot in rolls if shot not in seen][:_LOOKED_AT_AGAIN]:
            for number, camera in enumerate(setup.cameras):
                if camera.id in setup.shots[shot].pictures:
                    why = why_not(read(shot, camera.id), one.plate)
                    if why is not None:
                        found.missed[shot, number, target] = why


_LOOKED_AT_AGAIN = 2


@dataclass(frozen=True)
class Measured:
    """What pictures tell: ``told`` with its ``covariance`` (r, r), the ``level``'s (2, 2) in it, in the frame whose z is
    ``up`` of the rig's frame.
    """

    fitted: Fitted
    told: Told
    covariance: Array
    level: Array
    up: Array
    warned: list[Warned]


def measure(setup: Setup, read: Read, progress: Progress = lambda _: None) -> dict[str, Any]:
    """The pictures-results file of a set-up. **Raises** JobFileError."""
    looked = look(setup, read, progress)
    progress("fitting")
    return as_dict(setup, looked, measured(setup, looked))


def measured(setup: Setup, looked: Looked) -> Measured:
    """What was found, adjusted. **Raises** JobFileError where targets are swapped, or where nothing says what is level."""
    plates = [target.plate for target in setup.targets]
    up = _PLAIN_UP if setup.up is None else setup.up
    warned = [
        Warned(target, "few", {"shots": 0})
        for target in range(len(setup.targets))
        if not any(v.target == target for v in looked.views)
    ]
    if not looked.views:
        return Measured(Fitted(None, [], []), Told.nothing(), np.zeros((0, 0)), np.zeros((2, 2)), up, warned)
    cameras = levelled(setup.cameras, up)
    poses = agreeing(looked.views, single_poses(looked.views, plates, cameras))
    swapped = misplaced(setup, stood(looked.views, poses))
    if swapped:
        raise JobFileError(
            [Fault(f"/targets/{number}", sentences.swapped(setup, number, place)) for number, place in swapped.items()]
        )
    if setup.up is None:
        # Nothing can be doubted while the ground is not known: what leans would look as if it rose and sank.
        rough = fit(setup, looked.views, poses, cameras, doubting=False)
        if rough.adjusted is not None:
            up = _on_its_wheels(setup, rough, rough.adjusted, up)[1]
            cameras = levelled(setup.cameras, up)
            poses = poses.turned(shortest_turn(up))
    fitted = fit(setup, looked.views, poses, cameras)
    warned += fitted.warned
    adjusted = fitted.adjusted
    if adjusted is None:
        return Measured(fitted, Told.nothing(), np.zeros((0, 0)), np.zeros((2, 2)), up, warned)
    level = np.eye(2) * np.radians(setup.u_up_deg) ** 2
    if setup.up is None:
        adjusted, up, level = _on_its_wheels(setup, fitted, adjusted, up)
        fitted.adjusted = adjusted
    stills = setup.taken("still")
    told = tell(adjusted, setup.targets, stills[-1] if stills else None, _plumb_line(setup, up))
    return Measured(fitted, told, covariance(adjusted, told.rows, setup.targets, level), level, up, warned)


def followed(setup: Setup, before: Measured, seen: Sequence[View]) -> Measured:
    """The same with one still more, the last of the set-up's shots: ``seen`` are its views. What the roll told is where it
    begins.

    **Raises** ValueError where no wheel was told before.
    """
    adjusted, still = before.fitted.adjusted, len(setup.shots) - 1
    if adjusted is None:
        raise ValueError("expected wheels that a roll has told of; got none")
    known = [view for view in seen if view.target in adjusted.scene.wheels]
    cameras = levelled(setup.cameras, before.up)
    poses = agreeing(known, single_poses(known, [target.plate for target in setup.targets], cameras))
    stands = stood(known, poses)
    wheels = {
        target: replace(wheel, stills={**wheel.stills, **stands.get(target, {})})
        for target, wheel in adjusted.scene.wheels.items()
    }
    views = [*before.fitted.views, *known]
    bundle = bundle_of(setup, views, adjusted.noise, cameras)
    fitted = Fitted(bundle.adjust(replace(adjusted.scene, wheels=wheels)), before.fitted.warned, views)
    assert fitted.adjusted is not None  # noqa: S101 - the line above has just made it
    told = tell(fitted.adjusted, setup.targets, still, _plumb_line(setup, before.up))
    matrix = covariance(fitted.adjusted, told.rows, setup.targets, before.level)
    return Measured(fitted, told, matrix, before.level, before.up, before.warned)


def _plumb_line(setup: Setup, up: Array) -> PlumbLine | None:
    """What the rig's level says, where it has one, in the frame whose z is ``up`` of the rig's."""
    return None if setup.plumb is None else PlumbLine(shortest_turn(up) @ setup.plumb, setup.u_plumb_deg)


def _on_its_wheels(setup: Setup, fitted: Fitted, adjusted: Adjusted, up: Array) -> tuple[Adjusted, Array, Array]:
    """The scene on the ground through its wheels' contact points: turned, and fitted anew, until that is level. It was fitted
    with ``up``.
    """
    before = shortest_turn(up)
    ground = _ground(setup, adjusted)
    for _ in range(_ROUNDS):
        if float(np.abs(ground.turn).max()) < _LEVEL:
            break
        # Turning the cameras by a rotation leaves as up what that rotation takes to z.
        up = before.T @ turned_by(np.array([*ground.turn, 0.0])).T @ _PLAIN_UP
        turn = shortest_turn(up)
        cameras = levelled(setup.cameras, up)
        bundle = bundle_of(setup, fitted.views, adjusted.noise, cameras)
        adjusted = bundle.adjust(turned(adjusted.scene, turn @ before.T, cameras))
        before, ground = turn, _ground(setup, adjusted)
    return adjusted, up, ground.covariance


def _ground(setup: Setup, adjusted: Adjusted) -> Ground:
    ground = ground_under(adjusted, setup.targets)
    if ground is None:
        message = (
            "is missing: expected the direction square to the ground; too few wheels are seen to find it from them"
        )
        raise JobFileError([Fault("/up", message)])
    return ground


def as_dict(setup: Setup, looked: Looked, found: Measured) -> dict[str, Any]:
    """The pictures-results file."""
    warned = [*found.warned, *_partly(setup, looked, found)]
    warnings = [
        {"pointer": sentences.pointer(setup, one), "message": sentences.say(setup, _with_reason(looked, one))}
        for one in warned
    ]
    wheels: list[dict[str, Any]] = []
    if found.fitted.adjusted is not None:
        wheels = [_wheel(setup, looked, found, number) for number in _in_order(setup, found.fitted.adjusted)]
    return {
        "format": FORMAT,
        "version": VERSION,
        "readings": readings_of(setup, found),
        "wheels": wheels,
        "up": (found.up + 0.0).tolist(),
        "warnings": warnings,
    }


def _with_reason(looked: Looked, one: Warned) -> Warned:
    """A warning of a target that was seen too seldom, with the first picture that says why."""
    missed = next((key for key in sorted(looked.missed) if key[2] == one.target), None)
    if one.why != "few" or missed is None:
        return one
    return one._replace(data={**one.data, "shot": missed[0], "camera": missed[1], "why": looked.missed[missed].why})


_HALF = 0.3
"""Where more of a target's dots are hidden in a picture it is said, although the others count."""


def _partly(setup: Setup, looked: Looked, found: Measured) -> list[Warned]:
    """Targets that were partly hidden, the first picture of each; those of which something worse is said are passed over."""
    said = {one.target for one in found.warned}
    partly = []
    seen = {(view.shot, view.target) for view in looked.views}
    for (shot, camera, target), missed in sorted(looked.missed.items()):
        # Where another camera saw it well, nothing is lost.
        if target not in said and (shot, target) not in seen:
            said.add(target)
            partly.append(Warned(target, "missed", {"shot": shot, "camera": camera, "why": missed.why}))
    for (shot, camera, target), hidden in sorted(looked.hidden.items()):
        dots = len(setup.targets[target].plate.dots)
        if target not in said and hidden > _HALF * dots and not _seen_better(looked, shot, camera, target):
            said.add(target)
            partly.append(Warned(target, "part", {"shot": shot, "camera": camera, "hidden": hidden, "dots": dots}))
    return partly


def _seen_better(looked: Looked, shot: int, camera: int, target: int) -> bool:
    """Whether another camera saw more of a target in the same shot."""
    mine = looked.hidden[shot, camera, target]
    return any(key[0] == shot and key[2] == target and hidden < mine for key, hidden in looked.hidden.items())


def _in_order(setup: Setup, adjusted: Adjusted) -> list[int]:
    return sorted(adjusted.scene.wheels, key=lambda number: (setup.targets[number].axle, setup.targets[number].side))


_U_KEYS = {
    "along": "u_along_mm",
    "square": "u_mm",
    "toe": "u_deg",
    "camber": "u_camber_deg",
    "caster": "u_deg",
    "sai": "u_sai_deg",
    "forward": "u_deg",
    "leftward": "u_leftward_deg",
}


def readings_of(setup: Setup, found: Measured) -> list[dict[str, Any]]:
    """Readings as a job file has them, each row's uncertainty with it, and how all rows are known together."""
    if not found.told.readings:
        return []
    own: list[dict[str, Any]] = [
        {"phase": setup.phase, "kind": one["kind"], "rig": setup.rig, **one} for one in found.told.readings
    ]
    u = np.sqrt(found.covariance.diagonal())
    for (reading, name), size in zip(found.told.rows.names, u.tolist(), strict=True):
        own[reading][_U_KEYS[name]] = size
    together = {"phase": setup.phase, "kind": "rig", "rig": setup.rig, "rows": [list(name) for name in found.told.rows.names],
                "covariance": found.covariance.tolist()}  # fmt: skip
    return [*own, together]


def _wheel(setup: Setup, looked: Looked, found: Measured, number: int) -> dict[str, Any]:
    adjusted, target = found.fitted.adjusted, setup.targets[number]
    assert adjusted is not None  # noqa: S101 - asked for wheels that were told
    wheel = adjusted.scene.wheels[number]
    radius = rolling_radius(adjusted, number, target.out_mm, found.level)
    mine = [at for at, view in enumerate(adjusted.dots.views) if view.target == number]
    dots = 2 * sum(len(adjusted.dots.views[at].numbers) for at in mine)
    rms = float(np.sqrt(adjusted.squares[mine].sum() / max(dots, 1))) * adjusted.noise[number]
    angles = list(wheel.angles.values())
    return {
        "axle": target.axle, "side": target.side, "target": target.id, "rolling_radius_mm": {"value": radius.value, "u": radius.u},
        "dots": looked.dots[number], "dropped": looked.dropped[number], "rms_px": rms, "rolled_deg": float(np.degrees(max(angles) - min(angles))),
    }  # fmt: skip
