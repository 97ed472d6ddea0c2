"""A set-up's file: the cameras of a rig, the targets on the wheels, and the shots that were taken; read and checked."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np

from alignment.camera.lens import Camera, Doubts
from alignment.camera.plates import MARKERS, Plate
from alignment.checker import Checker
from alignment.errors import Fault, JobFileError
from alignment.jobfile import MOST_BYTES, PHASES, read_document
from alignment.live.guide import FEWEST_ROLLS
from alignment.model.formula import Array
from alignment.model.vehicle import SIDES

FORMAT = "rectaxis-pictures"
VERSION = 1
MOVES = ("roll", "sweep", "still")
MOST_PIXELS, MOST_PLACES, MOST_AXLES, MOST_ITEMS = 20_000, 100, 20, 100
"""No camera, plate, vehicle or list that is meant has more."""
_FEWEST_PLACES = 6
_WIDEST_DOT, _WIDEST_MARKER = 0.8, 1.5
"""Of the pitch (the contract): more would leave no white between dots, or none about a marker."""
_SQUARE = 1e-3
"""A rotation whose columns are off by more is no rotation; by less, its numbers were rounded, and it is made one."""
_DICTIONARIES = {f"DICT_{n}X{n}_{size}": size for n in (4, 5, 6, 7) for size in (50, 100, 250, 1000)}
"""Names of the coded markers that OpenCV knows, and how many ids each has."""


@dataclass(frozen=True)
class Target:
    """A plate on a wheel. ``out_mm`` is how far its middle stands outboard of the tyre's middle plane along the spin axis."""

    id: str
    axle: int
    side: str
    plate: Plate
    out_mm: float = 0.0
    u_out_mm: float = 0.0

    @property
    def wheel(self) -> str:
        """The wheel in words, as messages begin."""
        return f"axle {self.axle} {self.side}"


@dataclass(frozen=True)
class Shot:
    """Pictures taken at one moment, by camera: ``move`` says what was done between this and the others of its kind."""

    id: str
    move: str
    pictures: Mapping[str, str]


@dataclass(frozen=True)
class Setup:
    """``up`` (3,) is square to the ground in the rig's frame, None where it is to be found; ``plumb`` (3,) is straight up
    against gravity there, None where the rig has no level; ``folder`` holds the pictures.
    """

    rig: str
    phase: str
    cameras: tuple[Camera, ...]
    targets: tuple[Target, ...]
    shots: tuple[Shot, ...]
    up: Array | None
    u_up_deg: float
    plumb: Array | None
    u_plumb_deg: float
    folder: Path

    def taken(self, move: str) -> list[int]:
        """Numbers of the shots of one kind, in their order."""
        return [number for number, shot in enumerate(self.shots) if shot.move == move]


def load_document(path: str | Path) -> dict[str, Any]:
    """The JSON object in a file. **Raises** JobFileError."""
    try:
        with Path(path).open("rb") as file:
            raw = file.read(MOST_BYTES + 1)
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise JobFileError([Fault("", f"cannot be read: {reason}")]) from None
    return read_document(raw)


def load(path: str | Path) -> Setup:
    """The set-up in a file. **Raises** JobFileError with every fault found."""
    return parse(load_document(path), Path(path).parent)


_KEYS = ("format", "version", "rig", "phase", "cameras", "targets", "shots")


def parse(document: dict[str, Any], folder: Path) -> Setup:
    """A checked set-up from a JSON object. **Raises** JobFileError with every fault found."""
    check = Checker()
    check.keys("", document, _KEYS, ("up", "u_up_deg", "plumb", "u_plumb_deg"))
    check_head(check, document, FORMAT, VERSION)
    rig = check.text("/rig", document["rig"]) if "rig" in document else None
    phase = check.word("/phase", document["phase"], PHASES) if "phase" in document else None
    cameras = parse_cameras(check, document.get("cameras", []))
    targets = parse_targets(check, document.get("targets", []))
    shots = _shots(check, document.get("shots", []), {camera.id for camera in cameras})
    up, u_up = _direction(check, document, "up")
    plumb, u_plumb = _direction(check, document, "plumb")
    if plumb is not None and plumb @ (_Z if up is None else up) <= 0:
        check.fault("/plumb", "expected a direction that points up, away from the ground")
    if check.faults or rig is None or phase is None:
        raise JobFileError(check.faults)
    return Setup(rig, phase, tuple(cameras), tuple(targets), tuple(shots), up, u_up, plumb, u_plumb, folder)


_Z = np.array([0.0, 0.0, 1.0])


def _direction(check: Checker, document: Mapping[str, Any], name: str) -> tuple[Array | None, float]:
    """A direction of length 1, None where it is absent or none, and its doubt, degrees."""
    doubt = _doubt(check, f"/u_{name}_deg", document, f"u_{name}_deg")
    found = vector(check, f"/{name}", document[name], 3) if name in document else None
    length = 0.0 if found is None else float(np.linalg.norm(found))
    if found is not None and not length > 0:
        check.fault(f"/{name}", "expected a direction, got one of no length")
    return (None if found is None or not length > 0 else found / length), doubt


def check_head(check: Checker, document: Mapping[str, Any], name: str, version: int) -> None:
    """Format and version of a file."""
    if "format" in document and document["format"] != name:
        check.fault("/format", f'expected "{name}", got {check.shown(document["format"])}')
    if "version" in document and (document["version"] != version or isinstance(document["version"], bool)):
        check.fault("/version", f"expected {version}, got {check.shown(document['version'])}")


def several(check: Checker, at: str, value: object) -> list[Any]:
    """The items of a list that holds at least one and not absurdly many."""
    items = check.items(at, value)
    if isinstance(value, list) and not 1 <= len(items) <= MOST_ITEMS:
        check.fault(at, f"expected 1 to {MOST_ITEMS}, got {len(items)}")
        return []
    return items


def _named(check: Checker, at: str, name: str | None, known: set[str]) -> str:
    if name is not None and name in known:
        check.fault(f"{at}/id", f"{check.shown(name)} is already in use; give it a name of its own")
    known.add(name or "")
    return name or ""


def _whole(check: Checker, at: str, value: object, least: int, most: int) -> int | None:
    if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
        check.fault(at, f"expected a whole number from {least} to {most}, got {check.shown(value)}")
        return None
    return value


def vector(check: Checker, at: str, value: object, count: int) -> Array | None:
    """A list of so many numbers, each at most a million."""
    parts = check.items(at, value)
    if not isinstance(value, list):
        return None
    if len(parts) != count:
        check.fault(at, f"expected {count} numbers, got {len(parts)}")
        return None
    numbers = [check.length(f"{at}/{place}", part) for place, part in enumerate(parts)]
    return None if None in numbers else np.array(numbers, dtype=float)


def _doubt(check: Checker, at: str, entry: Mapping[str, Any], key: str) -> float:
    """A standard uncertainty; 0 where it is absent."""
    value = check.length(at, entry[key]) if key in entry else 0.0
    if value is not None and value < 0:
        check.fault(at, f"expected 0 or more, got {check.shown(value)}")
    return 0.0 if value is None or value < _NO_DOUBT else value


_NO_DOUBT = 1e-9
"""Degrees, millimetres or shares: nothing is known better, and what claims to be is exact."""
_OF_CAMERA = ("id", "size", "focal_px", "principal_px", "distortion", "position_mm", "rotation")


def parse_cameras(check: Checker, value: object, at: str = "/cameras") -> list[Camera]:
    """The sound ones of a list of cameras."""
    known: set[str] = set()
    found = [_camera(check, f"{at}/{number}", entry, known) for number, entry in enumerate(several(check, at, value))]
    return [camera for camera in found if camera is not None]


def _camera(check: Checker, at: str, entry: object, known: set[str]) -> Camera | None:
    before = len(check.faults)
    if not check.keys(at, entry, _OF_CAMERA, ("u_rotation_deg", "u_position_mm", "u_focal")):
        return None
    assert isinstance(entry, dict)  # noqa: S101 - the line above has just checked it
    name = _named(check, at, check.text(f"{at}/id", entry["id"]) if "id" in entry else None, known)
    size = parse_size(check, f"{at}/size", entry.get("size", [1, 1]))
    parts = {key: vector(check, f"{at}/{key}", entry[key], count) for key, count in _PARTS if key in entry}
    focal = parts.get("focal_px")
    least, most = (share * max(size or (1, 1)) for share in _FOCAL)
    if focal is not None and size is not None and not ((focal >= least) & (focal <= most)).all():
        check.fault(
            f"{at}/focal_px",
            f"expected two numbers of pixels from {least:g} to {most:g}, got {focal[0]:g} and {focal[1]:g}",
        )
    rotation = _rotation(check, f"{at}/rotation", entry.get("rotation", np.eye(3).tolist()))
    doubts = Doubts(
        *(_doubt(check, f"{at}/{key}", entry, key) for key in ("u_rotation_deg", "u_position_mm", "u_focal"))
    )
    if len(check.faults) > before or rotation is None or size is None:
        return None
    focal, principal, distortion, position = (np.asarray(parts[key]) for key, _ in _PARTS)
    return Camera(name, size, focal, principal, distortion, position, rotation, doubts)


_FOCAL = (0.1, 100.0)
"""The least and the greatest focal length that a lens can have, in longest sides of its picture: a view of 157° and of 0.6° across."""
_PARTS = (("focal_px", 2), ("principal_px", 2), ("distortion", 5), ("position_mm", 3))


def parse_size(check: Checker, at: str, value: object) -> tuple[int, int] | None:
    """Columns and rows of a picture."""
    parts = check.items(at, value)
    if not isinstance(value, list) or len(parts) != 2:  # noqa: PLR2004 - columns and rows
        if isinstance(value, list):
            check.fault(at, f"expected two numbers of pixels, got {len(parts)}")
        return None
    sizes = [_whole(check, f"{at}/{place}", part, 16, MOST_PIXELS) for place, part in enumerate(parts)]
    return None if sizes[0] is None or sizes[1] is None else (sizes[0], sizes[1])


def _rotation(check: Checker, at: str, value: object) -> Array | None:
    rows = check.items(at, value)
    if not isinstance(value, list):
        return None
    if len(rows) != 3:  # noqa: PLR2004 - three dimensions
        check.fault(at, f"expected three rows, got {len(rows)}")
        return None
    found = [vector(check, f"{at}/{place}", row, 3) for place, row in enumerate(rows)]
    if any(row is None for row in found):
        return None
    matrix = np.array(found, dtype=float)
    if np.abs(matrix @ matrix.T - np.eye(3)).max() > _SQUARE or np.linalg.det(matrix) < 0:
        check.fault(at, "expected a rotation: rows of length 1, square to each other, right-handed")
        return None
    left, _, right = np.linalg.svd(matrix)
    return np.asarray(left @ right)


OF_PLATE = ("columns", "rows", "pitch_mm", "dot_mm", "dictionary", "marker_mm", "first_marker")


def parse_targets(check: Checker, value: object, at: str = "/targets") -> list[Target]:
    """The sound ones of a list of targets: one on a wheel, and no marker on two."""
    known: set[str] = set()
    wheels: set[tuple[int, str]] = set()
    markers: dict[tuple[str, int], str] = {}
    found = []
    for number, entry in enumerate(several(check, at, value)):
        here = f"{at}/{number}"
        target = _target(check, here, entry, known)
        if target is None:
            continue
        if (target.axle, target.side) in wheels:
            check.fault(here, f"{target.wheel} already has a target")
        wheels.add((target.axle, target.side))
        for marker in target.plate.ids:
            other = markers.setdefault((target.plate.dictionary, marker), target.id)
            if other != target.id:
                check.fault(f"{here}/first_marker", f"marker {marker} is already on target {other}")
                break
        found.append(target)
    return found


def _target(check: Checker, at: str, entry: object, known: set[str]) -> Target | None:
    before = len(check.faults)
    if not check.keys(at, entry, ("id", "axle", "side", *OF_PLATE), ("out_mm", "u_out_mm")):
        return None
    assert isinstance(entry, dict)  # noqa: S101 - the line above has just checked it
    name = _named(check, at, check.text(f"{at}/id", entry["id"]) if "id" in entry else None, known)
    axle = _whole(check, f"{at}/axle", entry["axle"], 1, MOST_AXLES) if "axle" in entry else None
    side = check.word(f"{at}/side", entry["side"], SIDES) if "side" in entry else None
    plate = parse_plate(check, at, entry)
    out = check.length(f"{at}/out_mm", entry["out_mm"]) if "out_mm" in entry else 0.0
    u_out = _doubt(check, f"{at}/u_out_mm", entry, "u_out_mm")
    if len(check.faults) > before or axle is None or side is None or plate is None:
        return None
    return Target(name, axle, side, plate, out or 0.0, u_out)


def parse_plate(check: Checker, at: str, entry: Mapping[str, Any]) -> Plate | None:
    """What is printed on a target, of an object whose keys are checked already."""
    before = len(check.faults)
    places = [
        _whole(check, f"{at}/{key}", entry[key], _FEWEST_PLACES, MOST_PLACES)
        for key in ("columns", "rows")
        if key in entry
    ]
    sizes = {
        key: check.length(f"{at}/{key}", entry[key], above_zero=True)
        for key in ("pitch_mm", "dot_mm", "marker_mm")
        if key in entry
    }
    dictionary = check.word(f"{at}/dictionary", entry["dictionary"], _DICTIONARIES) if "dictionary" in entry else None
    first = 0
    if "first_marker" in entry and dictionary is not None:
        first = _whole(check, f"{at}/first_marker", entry["first_marker"], 0, _DICTIONARIES[dictionary] - MARKERS) or 0
    pitch = sizes.get("pitch_mm")
    for key, most in (("dot_mm", _WIDEST_DOT), ("marker_mm", _WIDEST_MARKER)):
        size = sizes.get(key)
        if pitch is not None and size is not None and size > most * pitch:
            check.fault(f"{at}/{key}", f"expected at most {most:g} of the pitch, {most * pitch:g} mm, got {size:g}")
    if len(check.faults) > before or len(places) + len(sizes) != 5 or dictionary is None:  # noqa: PLR2004 - all of them
        return None
    columns, rows = (place or 0 for place in places)
    pitch, dot, marker = (size or 0.0 for size in sizes.values())
    return Plate(columns, rows, pitch, dot, marker, dictionary, first)


def _shots(check: Checker, value: object, cameras: set[str]) -> list[Shot]:
    before, found = len(check.faults), []
    known: set[str] = set()
    for number, entry in enumerate(several(check, "/shots", value)):
        at = f"/shots/{number}"
        if not check.keys(at, entry, ("id", "move", "pictures")):
            continue
        name = _named(check, at, check.text(f"{at}/id", entry["id"]) if "id" in entry else None, known)
        move = check.word(f"{at}/move", entry["move"], MOVES) if "move" in entry else None
        pictures = parse_pictures(check, f"{at}/pictures", entry.get("pictures", {}), cameras)
        found.append(Shot(name, move or "roll", pictures))
    if len(check.faults) == before:
        rolls = sum(shot.move == "roll" for shot in found)
        if rolls == 0:
            check.fault(
                "/shots", "a sweep or a still says nothing without a roll: take at least three roll shots first"
            )
        elif rolls < FEWEST_ROLLS:
            check.fault(
                "/shots", f"expected at least {FEWEST_ROLLS} roll shots, got {rolls}: roll a little and take another"
            )
    return found


def parse_pictures(check: Checker, at: str, value: object, cameras: set[str]) -> dict[str, str]:
    """Names of pictures by camera, relative to their file and below its folder."""
    if not isinstance(value, dict):
        check.fault(at, f"expected an object of file names by camera, got {check.shown(value)}")
        return {}
    found = {}
    for camera, name in value.items():
        here = check.under(at, camera)
        if cameras and camera not in cameras:
            check.fault(here, f"no camera is called {check.shown(camera)}")
        elif check.text(here, name) is not None:
            if not _below(name):
                check.fault(here, "expected a file name relative to this file and below its folder")
            found[camera] = name
    return found


def _below(name: str) -> bool:
    """Whether a file name stays below the folder that it is relative to."""
    parts = PurePosixPath(name).parts
    odd = "\\" in name or "\0" in name or re.match(r"[A-Za-z]:", name) is not None
    return not (odd or name.startswith("/") or ".." in parts or not parts)
