"""What went wrong with pictures, in sentences that say how to mend it."""

from __future__ import annotations

from alignment.camera.doubts import Warned
from alignment.camera.fit import LEAST_ROLLED_DEG
from alignment.camera.setups import Setup
from alignment.checker import Checker
from alignment.live.guide import FEWEST_ROLLS

WANTED_DEG = 30
"""A roll that tells axes well: what to ask for where it was too little."""

_WHY_MISSED = {
    "markers": "its coded corners are seen, but not well enough to place it",
    "grid": "its dots do not lie as the file says: check columns, rows and pitch",
    "small": "its dots are too small: bring the camera nearer, or turn the plate more towards it",
    "edge": "it reaches over the picture's edge: turn the camera towards it",
    "overexposed": "its white is overexposed: shade it or expose for less time",
    "blurred": "it is out of focus, or it moved while the picture was taken: focus, and let the vehicle stand still",
    "hidden": "most of its dots are hidden or blurred: clear the view, wipe the plate, focus",
}


def picture_pointer(setup: Setup, shot: int, camera: int) -> str:
    """The pointer of a picture in the set-up's file."""
    return Checker.under(f"/shots/{shot}/pictures", setup.cameras[camera].id)


def pointer(setup: Setup, one: Warned) -> str:
    """Where in the set-up's file a warning belongs."""
    if one.target is not None:
        return f"/targets/{one.target}"
    if one.why == "focal":
        return f"/cameras/{one.camera}/focal_px"
    if one.shot is not None and one.camera is not None:
        return picture_pointer(setup, one.shot, one.camera)
    return f"/shots/{one.shot}"


def swapped(setup: Setup, number: int, place: tuple[int, str]) -> str:
    """A target that hangs on another wheel."""
    target = setup.targets[number]
    return f"{target.wheel}: target {target.id} hangs on axle {place[0]} {place[1]}; put it where it belongs, or name it so in the file"


def say(setup: Setup, one: Warned) -> str:
    """A warning as a sentence; that of a target begins with its wheel."""
    if one.target is None:
        return _of_a_shot(setup, one)
    target = setup.targets[one.target]
    return f"{target.wheel}: {_OF_A_WHEEL[one.why](setup, one)}"


_IF_IN_VIEW = " If it is in view, its markers may be too small (they need about 15 pixels), or turned too far away."


def _few(setup: Setup, one: Warned) -> str:
    seen, reason = one.data["shots"], _IF_IN_VIEW
    if "why" in one.data:
        reason = f" In picture {_picture(setup, one)} {_WHY_MISSED[one.data['why']]}."
    times = "in no roll shot" if seen == 0 else f"in {seen} roll shot{'' if seen == 1 else 's'} only"
    return f"its target is seen {times}; at least {FEWEST_ROLLS} are needed. Clear the view and roll again.{reason}"


def _picture(setup: Setup, one: Warned) -> str:
    """The file name of the picture that a warning is of."""
    shot, camera = setup.shots[one.data["shot"]], setup.cameras[one.data["camera"]]
    return str(shot.pictures[camera.id])


def _short(setup: Setup, one: Warned) -> str:  # noqa: ARG001 - as the others
    return f"rolled only {one.data['rolled']:.1f}°; at least {LEAST_ROLLED_DEG:g}° are needed and {WANTED_DEG}° are wanted. Roll further."


def _axis(setup: Setup, one: Warned) -> str:
    shot = setup.shots[one.data["shot"]].id
    return (
        f"does not turn about one axis: in shot {shot} its target stands otherwise than a rolled wheel takes it. Did it slip on the rim, was the "
        "wheel steered, or was it jacked? Seat the target and roll again."
    )


def _brakes(setup: Setup, one: Warned) -> str:
    shot = setup.shots[one.data["shot"]].id
    return (
        f"rolled on during the sweep, in shot {shot}: hold the brakes and sweep again. Its steering axis is left out."
    )


def _part(setup: Setup, one: Warned) -> str:
    name = _picture(setup, one)
    return f"{one.data['hidden']} of {one.data['dots']} dots are hidden in picture {name}; the others count. Clear the view or wipe the plate."


def _missed(setup: Setup, one: Warned) -> str:
    name = _picture(setup, one)
    return f"its target is left out of picture {name}: {_WHY_MISSED[one.data['why']]}. The other pictures of it count."


_OF_A_WHEEL = {"part": _part, "missed": _missed, "few": _few, "short": _short, "axis": _axis, "brakes": _brakes}


def _of_a_shot(setup: Setup, one: Warned) -> str:
    name = setup.cameras[one.camera].id if one.camera is not None else ""
    if one.why == "focal":
        return (
            f"camera {name}: its focal length no longer fits, by {100 * one.data['longer']:+.2f} %. Its pictures are left out. Was its focus or zoom "
            "touched? Calibrate it again."
        )
    shot = setup.shots[one.shot or 0].id
    if one.why == "knocked":
        names = " or ".join(f"camera {setup.cameras[camera].id}" for camera in one.data["cameras"])
        return (
            f"{names} was knocked before shot {shot}, by about {one.data['turned_deg']:.2f}°: pictures from one side of that are left out. "
            "Fix it and take the shots again."
        )
    return (
        f"the vehicle rose, sank or leaned before shot {shot}, by about {one.data['moved_mm']:.1f} mm: shots from one side of that are left out. Roll "
        "on level ground, let the vehicle settle, and take the shots again."
    )
