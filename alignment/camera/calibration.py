"""A camera's certificate from pictures of a target held about, and two cameras' mutual pose from targets that both see.

Unknown are each camera's lens (focal lengths, principal point, distortion), where all cameras but the first stand, and where
each target is in each shot: Zhang, "A flexible new technique for camera calibration", IEEE PAMI 22 (2000). OpenCV gives first
values; the adjustment, its covariance and what is said of it are ours. The first camera stands in the rig's origin and looks
rearward.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from alignment.camera import setups
from alignment.camera.detect import Missed, find_targets
from alignment.camera.lens import REARWARD, Camera, distort
from alignment.camera.pictures import PictureError, Read, decode_at
from alignment.camera.plates import Plate
from alignment.camera.poses import single_poses
from alignment.camera.views import TWIST, Dots, View, about_points, crossing, rotation_vector, turned_by
from alignment.checker import Checker
from alignment.errors import Fault, JobFileError
from alignment.model.formula import Array

FORMAT, RESULTS = "rectaxis-calibration", "rectaxis-calibration-results"
VERSION = 1
LENS = 9
"""Focal lengths, principal point, and five coefficients of distortion."""
FEWEST_PICTURES = 6
WANTED_PICTURES = 12
TOE_DEG = 0.01
"""What a certificate should be good for, with 95 %."""
TOE_BY_TURN, TOE_BY_FOCAL = 1.1, 6.7
"""Degrees of total toe for a degree that one camera is turned, and for the whole of a focal length (devices.md: 0.01 degrees
and 0.03 %).
"""
_ROUNDS, _SETTLED = 40, 1e-8
_WIDE_DEG = 25.0
"""A target that is tilted by so much against another picture's tells the focal length."""
CELLS = 3
"""Each way: a lens is told where targets were in all such parts of its picture."""


@dataclass(frozen=True)
class Setup:
    """Cameras of given sizes, targets, and pictures by shot and camera; a target stands still within a shot."""

    cameras: tuple[tuple[str, tuple[int, int]], ...]
    targets: tuple[tuple[str, Plate], ...]
    shots: tuple[tuple[str, Mapping[str, str]], ...]
    folder: Path


def load(path: str | Path) -> Setup:
    """A calibration's file. **Raises** JobFileError with every fault found."""
    return parse(setups.load_document(path), Path(path).parent)


def parse(document: dict[str, Any], folder: Path) -> Setup:
    """A checked set-up from a JSON object. **Raises** JobFileError with every fault found."""
    check = Checker()
    check.keys("", document, ("format", "version", "cameras", "targets", "shots"))
    setups.check_head(check, document, FORMAT, VERSION)
    cameras = _cameras(check, document.get("cameras", []))
    targets = _targets(check, document.get("targets", []))
    shots = []
    for number, entry in enumerate(setups.several(check, "/shots", document.get("shots", []))):
        at = f"/shots/{number}"
        if check.keys(at, entry, ("id", "pictures")) and "id" in entry:
            name = check.text(f"{at}/id", entry["id"])
            shots.append(
                (name or "", setups.parse_pictures(check, f"{at}/pictures", entry.get("pictures", {}), set(cameras)))
            )
    if check.faults:
        raise JobFileError(check.faults)
    return Setup(tuple(cameras.items()), tuple(targets), tuple(shots), folder)


def _cameras(check: Checker, value: object) -> dict[str, tuple[int, int]]:
    found: dict[str, tuple[int, int]] = {}
    for number, entry in enumerate(setups.several(check, "/cameras", value)):
        at = f"/cameras/{number}"
        if check.keys(at, entry, ("id", "size")) and "id" in entry and "size" in entry:
            name, size = check.text(f"{at}/id", entry["id"]), setups.parse_size(check, f"{at}/size", entry["size"])
            if name in found:
                check.fault(f"{at}/id", f"{check.shown(name)} is already in use; give it a name of its own")
            if name is not None and size is not None:
                found[name] = size
    return found


def _targets(check: Checker, value: object) -> list[tuple[str, Plate]]:
    found = []
    for number, entry in enumerate(setups.several(check, "/targets", value)):
        at = f"/targets/{number}"
        if check.keys(at, entry, ("id", *setups.OF_PLATE)) and "id" in entry:
            name, plate = check.text(f"{at}/id", entry["id"]), setups.parse_plate(check, at, entry)
            if name is not None and plate is not None:
                found.append((name, plate))
    return found


@dataclass(frozen=True)
class Certified:
    """Cameras as they turned out: ``cameras``, the covariance (s, s) of all their unknowns with what those are, and how well
    dots fit.
    """

    cameras: list[Camera]
    covariance: Array
    lens: list[slice]
    stands: list[slice | None]
    rms: float
    views: list[View]
    turns: Array


def look(setup: Setup, read: Read, progress: Callable[[str], None]) -> list[View]:
    """Every target in every picture. **Raises** JobFileError for pictures that cannot be used."""
    plates = [plate for _, plate in setup.targets]
    views, faults, done = [], [], 0
    total = sum(len(pictures) for _, pictures in setup.shots)
    for shot, (_, pictures) in enumerate(setup.shots):
        for number, (name, size) in enumerate(setup.cameras):
            if name not in pictures:
                continue
            done += 1
            progress(f"picture {done} of {total}")
            try:
                # Nothing is known of the lens yet: a usual one places the grid well enough to find its dots.
                found = find_targets(read(shot, name), plates, usual(name, size))
            except PictureError as error:
                faults.append(Fault(Checker.under(f"/shots/{shot}/pictures", name), str(error)))
                continue
            views += [
                View(at, shot, number, dots.numbers, dots.pixels)
                for at, dots in found.items()
                if not isinstance(dots, Missed)
            ]
    if faults:
        raise JobFileError(faults)
    return views


def usual(name: str, size: tuple[int, int]) -> Camera:
    """A camera of which nothing is known but its size in pixels."""
    focal = float(max(size)) * 1.2
    middle = np.array([(size[0] - 1) / 2, (size[1] - 1) / 2])
    return Camera(name, size, np.array([focal, focal]), middle, np.zeros(5), np.zeros(3), REARWARD)


def calibrate(
    setup: Setup, progress: Callable[[str], None] = lambda _: None, read: Read | None = None
) -> dict[str, Any]:
    """The certificates of a set-up's cameras, each with a verdict. **Raises** JobFileError."""
    sizes = dict(setup.cameras)

    def from_folder(shot: int, camera: str) -> Any:
        return decode_at(setup.folder, setup.shots[shot][1][camera], sizes[camera])

    views = look(setup, read or from_folder, progress)
    progress("fitting")
    return as_dict(certify(setup, views))


def certify(setup: Setup, views: Sequence[View]) -> Certified:
    """The adjustment of what was seen. **Raises** JobFileError where a camera saw too little."""
    plates = [plate for _, plate in setup.targets]
    faults = []
    cameras = []
    for number, (name, size) in enumerate(setup.cameras):
        mine = [view for view in views if view.camera == number]
        if len(mine) < FEWEST_PICTURES:
            faults.append(
                Fault(
                    f"/cameras/{number}",
                    f"camera {name} sees a target in {len(mine)} pictures; expected at least {FEWEST_PICTURES}, better {WANTED_PICTURES}",
                )
            )
            continue
        cameras.append(_first_lens(usual(name, size), mine, plates))
    if faults:
        raise JobFileError(faults)
    cameras = _first_stands(views, plates, cameras, faults)
    if faults:
        raise JobFileError(faults)
    return _Certificate(views, plates, cameras).adjust()


def _first_lens(camera: Camera, views: Sequence[View], plates: Sequence[Plate]) -> Camera:
    on_plate = [
        np.hstack((plates[v.target].dots[v.numbers], np.zeros((len(v.numbers), 1)))).astype(np.float32) for v in views
    ]
    pixels = [view.pixels.astype(np.float32)[:, None, :] for view in views]
    _, matrix, bends, _, _ = cv2.calibrateCamera(
        on_plate,
        pixels,
        camera.size,
        camera.matrix,
        np.zeros(5),
        flags=cv2.CALIB_USE_INTRINSIC_GUESS | cv2.CALIB_FIX_K3,
    )
    return replace(
        camera,
        focal=np.array([matrix[0, 0], matrix[1, 1]], dtype=float),
        principal=np.asarray(matrix[:2, 2], dtype=float),
        distortion=np.asarray(bends, dtype=float).ravel()[:5],
    )


def _first_stands(
    views: Sequence[View], plates: Sequence[Plate], cameras: Sequence[Camera], faults: list[Fault]
) -> list[Camera]:
    """Where each camera stands, by a target that it and a camera before it see in one shot."""
    poses = single_poses(views, plates, cameras)
    placed = {0: cameras[0]}
    pending = set(range(1, len(cameras)))
    while pending:
        before = len(pending)
        for first, one in enumerate(views):
            for second, other in enumerate(views):
                if (
                    one.camera in placed
                    and other.camera in pending
                    and (one.shot, one.target) == (other.shot, other.target)
                ):
                    known = placed[one.camera]
                    # From the first's own frame to the rig's, and the other camera's from its own: both see one plate.
                    turn = known.rotation.T @ cameras[one.camera].rotation @ poses.turns[first]
                    place = known.rotation.T @ cameras[one.camera].rotation @ poses.places[first] + known.position
                    swing = turn @ poses.turns[second].T
                    placed[other.camera] = replace(
                        cameras[other.camera],
                        rotation=cameras[other.camera].rotation @ swing.T,
                        position=place - swing @ poses.places[second],
                    )
                    pending.discard(other.camera)
        if len(pending) == before:
            for number in sorted(pending):
                faults.append(
                    Fault(
                        f"/cameras/{number}",
                        f"camera {cameras[number].id} sees no target together with a camera before it: take shots in which both see one",
                    )
                )
            break
    return [placed.get(number, camera) for number, camera in enumerate(cameras)]


class _Certificate:
    """The adjustment: plates' places are eliminated, one by one; cameras are what all share."""

    def __init__(self, views: Sequence[View], plates: Sequence[Plate], cameras: Sequence[Camera]) -> None:
        self.views, self.plates, self.cameras = list(views), plates, list(cameras)
        self.dots = Dots(views, plates, cameras)
        self.bodies = sorted({(view.shot, view.target) for view in views})
        self.of_body = np.array([self.bodies.index((view.shot, view.target)) for view in views])
        self.lens = [slice(LENS * n, LENS * (n + 1)) for n in range(len(cameras))]
        first = LENS * len(cameras)
        self.stands = [None, *(slice(first + TWIST * n, first + TWIST * (n + 1)) for n in range(len(cameras) - 1))]
        self.shared = first + TWIST * (len(cameras) - 1)
        poses = single_poses(views, plates, cameras)
        best = [
            max(np.flatnonzero(self.of_body == body).tolist(), key=lambda number: len(views[number].numbers))
            for body in range(len(self.bodies))
        ]
        self.turns, self.places = poses.turns[best], poses.places[best]

    def _misfit(self, turns: Array, places: Array, cameras: Sequence[Camera]) -> tuple[float, Array]:
        off = self.dots.seen(turns[self.of_body], places[self.of_body], cameras, slopes=False).off
        return float((off * off).sum()), off

    def _columns(self) -> tuple[Array, Array, Array]:
        """Each dot's slopes against its plate's twist about itself (n, 2, 6), and against what cameras share (n, 2, s)."""
        seen = self.dots.seen(self.turns[self.of_body], self.places[self.of_body], self.cameras)
        twist = seen.slopes[:, :, :TWIST]
        place = self.places[self.of_body][self.dots.of]
        own = twist.copy()
        own[:, :, :3] += twist[:, :, 3:] @ crossing(place)
        shared = np.zeros((len(place), 2, self.shared))
        for number, camera in enumerate(self.cameras):
            at = self.dots.of_camera[number]
            bent = (self.dots.pixels[at] - seen.off[at] - camera.principal) / camera.focal
            shared[at[:, None], :, np.arange(LENS * number, LENS * (number + 1))] = _lens_slopes(
                camera, bent
            ).transpose(0, 2, 1)
            stand = self.stands[number]
            if stand is not None:
                moves = about_points(camera.position)
                shared[at[:, None], :, np.arange(stand.start, stand.stop)] = (-twist[at] @ moves).transpose(0, 2, 1)
        return own, shared, seen.off

    def adjust(self) -> Certified:
        misfit, _ = self._misfit(self.turns, self.places, self.cameras)
        damping = 1e-6
        for _ in range(_ROUNDS):
            own, shared, off = self._columns()
            normals, reduced, pull, pulls, border = self._reduce(own, shared, off)
            while True:
                step = _solve(reduced, pull, damping)
                alone = [
                    np.linalg.solve(normals[n] + damping * np.diag(normals[n].diagonal()), pulls[n] - border[n] @ step)
                    for n in range(len(self.bodies))
                ]
                turns = turned_by(np.array(alone)[:, :3]) @ self.turns
                places = self.places + np.array(alone)[:, 3:]
                cameras = [self._stepped(number, camera, step) for number, camera in enumerate(self.cameras)]
                less, _ = self._misfit(turns, places, cameras)
                if less <= misfit or damping > 1e6:  # noqa: PLR2004 - nothing better is near
                    break
                damping *= 10
            gained, damping = misfit - less, max(damping / 10, 1e-9)
            if gained > 0:
                self.turns, self.places, self.cameras, misfit = turns, places, cameras, less
            if gained < _SETTLED * misfit:
                break
        own, shared, off = self._columns()
        reduced = self._reduce(own, shared, off)[1]
        unknown = self.shared + TWIST * len(self.bodies)
        variance = misfit / max(2 * len(off) - unknown, 1)
        covariance = variance * _solve(reduced, np.eye(self.shared), 0.0)
        return Certified(
            self.cameras, covariance, self.lens, self.stands, variance**0.5, self.views, self.turns[self.of_body]
        )

    def _reduce(
        self, own: Array, shared: Array, off: Array
    ) -> tuple[list[Array], Array, Array, list[Array], list[Array]]:
        """Normal equations with each plate eliminated."""
        reduced = np.einsum("nij,nik->jk", shared, shared)
        pull = np.einsum("nij,ni->j", shared, off)
        normals, pulls, border = [], [], []
        of = self.of_body[self.dots.of]
        for body in range(len(self.bodies)):
            at = of == body
            normals.append(np.einsum("nij,nik->jk", own[at], own[at]))
            pulls.append(np.einsum("nij,ni->j", own[at], off[at]))
            border.append(np.einsum("nij,nik->jk", own[at], shared[at]))
            carried = np.linalg.solve(normals[-1], border[-1]).T
            reduced -= carried @ border[-1]
            pull -= carried @ pulls[-1]
        return normals, reduced, pull, pulls, border

    def _stepped(self, number: int, camera: Camera, step: Array) -> Camera:
        lens = step[self.lens[number]]
        stand = self.stands[number]
        moved = np.zeros(TWIST) if stand is None else step[stand]
        return replace(
            camera, focal=camera.focal + lens[:2], principal=camera.principal + lens[2:4], distortion=camera.distortion + lens[4:],
            rotation=camera.rotation @ turned_by(moved[:3]).T, position=camera.position + moved[3:],
        )  # fmt: skip


def _lens_slopes(camera: Camera, bent: Array) -> Array:
    """How dots' pixels move with their camera's lens, (n, 2, 9); ``bent`` (n, 2) are their seen places over the focal length."""
    ideal = camera.ideal(bent * camera.focal + camera.principal)
    found = np.zeros((len(bent), 2, LENS))
    found[:, 0, 0], found[:, 1, 1] = bent[:, 0], bent[:, 1]
    found[:, 0, 2] = found[:, 1, 3] = 1.0
    for number in range(5):
        # What is seen is linear in the coefficients.
        unit = np.zeros(5)
        unit[number] = 1.0
        found[:, :, 4 + number] = (distort(ideal, unit) - ideal) * camera.focal
    return found


def _solve(matrix: Array, right: Array, damping: float) -> Array:
    size = np.sqrt(np.maximum(matrix.diagonal(), np.finfo(float).tiny))
    values, vectors = np.linalg.eigh(matrix / size[:, None] / size + damping * np.eye(len(size)))
    kept = np.where(values > 1e-14, 1.0 / np.maximum(values, 1e-14), 0.0)  # noqa: PLR2004 - the digits of a double
    return np.asarray(((vectors * kept) @ vectors.T @ (right.T / size).T).T / size).T


def as_dict(found: Certified) -> dict[str, Any]:
    """The certificates as a set-up of pictures takes them, their uncertainties, and what they are good for."""
    cameras = [_camera(found, number) for number in range(len(found.cameras))]
    verdicts = [_verdict(found, number, camera) for number, camera in enumerate(cameras)]
    return {"format": RESULTS, "version": VERSION, "rms_px": found.rms, "cameras": cameras, "verdicts": verdicts}


def _camera(found: Certified, number: int) -> dict[str, Any]:
    camera, lens, stand = found.cameras[number], found.lens[number], found.stands[number]
    u = np.sqrt(np.maximum(found.covariance.diagonal(), 0.0))
    focal, principal = u[lens][:2] / camera.focal, u[lens][2:4] / camera.focal
    turn = float(np.degrees(u[stand][:3].max())) if stand is not None else 0.0
    # A principal point that is off acts as a camera that is turned.
    return {
        "id": camera.id, "size": list(camera.size), "focal_px": camera.focal.tolist(), "principal_px": camera.principal.tolist(),
        "distortion": camera.distortion.tolist(), "position_mm": (camera.position + 0.0).tolist(), "rotation": camera.rotation.tolist(),
        "u_rotation_deg": float(np.hypot(turn, np.degrees(principal.max()))) if stand is not None else float(np.degrees(principal.max())),
        "u_position_mm": float(u[stand][3:].max()) if stand is not None else 0.0, "u_focal": float(focal.max()),
    }  # fmt: skip


def _verdict(found: Certified, number: int, camera: Mapping[str, Any]) -> dict[str, Any]:
    toe = 2 * float(np.hypot(TOE_BY_TURN * camera["u_rotation_deg"], TOE_BY_FOCAL * camera["u_focal"]))
    good = toe <= TOE_DEG
    said = (
        f"camera {camera['id']}: good enough for toe to {TOE_DEG:g}°"
        if good
        else f"camera {camera['id']}: not yet good enough for toe to {TOE_DEG:g}°, but to {toe:.2g}°"
    )
    advice = [] if good else _advice(found, number, camera)
    return {"camera": camera["id"], "good": good, "toe_deg": toe, "message": ". ".join((said, *advice)) + "."}


def cells_of(pixels: Array, size: Sequence[int]) -> set[tuple[int, int]]:
    """The parts of a picture of that size in which pixels (n, 2) lie: how far right, and how far down."""
    return {(x, y) for x, y in (pixels * CELLS // np.array(size)).astype(int).tolist()}


def _advice(found: Certified, number: int, camera: Mapping[str, Any]) -> list[str]:
    """What would better a certificate most."""
    mine = [at for at, view in enumerate(found.views) if view.camera == number]
    said = []
    if len(mine) < WANTED_PICTURES:
        said.append(f"Take {WANTED_PICTURES} pictures or more; there are {len(mine)}")
    tilts = [
        float(np.degrees(np.linalg.norm(rotation_vector(found.turns[at] @ found.turns[mine[0]].T)[:2]))) for at in mine
    ]
    if max(tilts) < _WIDE_DEG:
        said.append("Tilt the target by 30 to 45° each way: pictures face on tell little of the focal length")
    cells = set[tuple[int, int]]().union(*(cells_of(found.views[at].pixels, camera["size"]) for at in mine))
    if len(cells) < CELLS * CELLS - 1:
        said.append("Hold the target into the picture's corners too")
    if found.stands[number] is not None and TOE_BY_TURN * camera["u_rotation_deg"] > TOE_BY_FOCAL * camera["u_focal"]:
        said.append("Take more shots in which two cameras see one target, near and far")
    return said or ["Take more pictures, nearer, so that the target fills the picture"]
