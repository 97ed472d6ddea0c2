"""Pictures to readings: how long they take beside OpenCV's own steps, and on made-up set-ups how right they are.

``./run bench camera`` prints the ratios; ``./run bench pictures`` runs 500 set-ups of rendered pictures for each of two kits,
and 40 of each mishap, and prints the tables of docs/method.md (an hour).
"""

from __future__ import annotations

import math
import statistics
import time
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from scipy.optimize import least_squares
from scipy.sparse import csr_matrix

from alignment.camera.detect import find_targets
from alignment.camera.fit import bundle_of, noise_of
from alignment.camera.level import levelled
from alignment.camera.measure import Looked, as_dict, followed, look, measured
from alignment.camera.model import Columns, Stands, stepped
from alignment.camera.poses import single_poses
from alignment.camera.start import first_scene, stood
from alignment.errors import JobFileError
from alignment.model.vehicle import side_sign
from alignment.simulate.mishaps import MISHAPS, rightly_named
from alignment.simulate.pictured import dotted, errors, looked_at, radii, setup_of
from alignment.simulate.rigs import CHEAP, DEFAULT, EXACT, RigKit, Scenario, stand

SETUPS, OF_EACH = 500, 40
_95_PERCENT = 1.959964
FIVE_MEGAPIXELS = replace(DEFAULT, size=(2448, 2048))


def _best(what: Callable[[], object], times: int = 7) -> float:
    """The least of several times, seconds."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        what()
        found.append(time.perf_counter() - began)
    return min(found)


def camera() -> None:
    """The ratios of ``./run bench camera``."""
    cv2.setNumThreads(1)
    scenario = replace(stand(FIVE_MEGAPIXELS, 1, rolls=(0, -12, -24), sweeps=()), seed=1)
    setup = setup_of(scenario)
    pictures = {(shot, name): picture for shot, name, picture in scenario.pictures()}
    four = {key: pictures[key] for key in list(pictures)[:4]}

    def reading(shot: int, name: str) -> Any:
        return pictures[shot, name]

    whole = _best(lambda: as_dict(setup, *_both(setup, reading))) * 4 / len(pictures)
    theirs = _best(lambda: [_opencv(picture, setup) for picture in four.values()])
    print(
        f"four pictures of 5 megapixels to readings: {1000 * whole:.0f} ms, {whole / theirs:.2f} times OpenCV's markers, blobs and poses alone"
    )
    _adjustment()
    _still()


def _both(setup: Any, reading: Any) -> tuple[Looked, Any]:
    looked = look(setup, reading)
    return looked, measured(setup, looked)


def _opencv(picture: Any, setup: Any) -> int:
    """OpenCV's own steps on a picture: markers, a blob for each dot about each target, and a pose; how many blobs."""
    finder = cv2.aruco.ArucoDetector(cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_250))
    corners, ids, _ = finder.detectMarkers(picture)
    blobs = cv2.SimpleBlobDetector.create()
    count = 0
    for target in setup.targets:
        mine = [
            square.reshape(4, 2)
            for square, number in zip(corners, ids.ravel(), strict=True)
            if number in target.plate.ids
        ]
        if not mine:
            continue
        points = np.concatenate(mine)
        (x0, y0), (x1, y1) = points.min(axis=0).astype(int) - 10, points.max(axis=0).astype(int) + 10
        count += len(blobs.detect(picture[max(y0, 0) : y1, max(x0, 0) : x1]))
        on_plate = np.concatenate(
            [
                target.plate.marker_corners[target.plate.ids.index(int(n))]
                for n in ids.ravel()
                if int(n) in target.plate.ids
            ]
        )
        flat = np.hstack((on_plate, np.zeros((len(on_plate), 1))))
        one = setup.cameras[0]
        _, turn, place = cv2.solvePnP(flat, points.astype(float), one.matrix, one.distortion, flags=cv2.SOLVEPNP_IPPE)
        cv2.solvePnPRefineLM(flat, points.astype(float), one.matrix, one.distortion, turn, place)
    return count


def _adjustment() -> None:
    """The adjustment alone beside SciPy's least squares, told which unknowns touch which dots."""
    scenario = stand(DEFAULT, 1)
    setup = setup_of(scenario)
    views = dotted(scenario, setup, 0.012).views
    cameras = levelled(setup.cameras, setup.up if setup.up is not None else np.array([0.0, 0.0, 1.0]))
    poses = single_poses(views, [target.plate for target in setup.targets], cameras)
    taken = [setup.taken(move) for move in ("roll", "sweep", "still")]
    scene = first_scene(stood(views, poses), taken, [side_sign(target.side) for target in setup.targets], cameras)
    bundle = bundle_of(setup, views, noise_of(views, poses), cameras)
    columns = Columns(scene)
    targets = sorted(scene.wheels)
    first = dict(zip(targets, np.cumsum([0, *(columns.count(target) for target in targets)]).tolist(), strict=False))
    shared = sum(columns.count(target) for target in targets)
    free = columns.tilt.start

    def moved(y: Any) -> Any:
        own = {target: y[first[target] : first[target] + columns.count(target)] for target in targets}
        return stepped(scene, columns, own, np.concatenate((y[shared:], np.zeros(2))))

    def residuals(y: Any) -> Any:
        off = bundle.off(moved(y))
        return np.concatenate((off.ravel(), np.sqrt(columns.priors(cameras)[:free]) * y[shared:]))

    def slopes(y: Any) -> Any:
        return _sparse_slopes(bundle, moved(y), first, shared, np.sqrt(columns.priors(cameras)[:free]))

    ours = _best(lambda: bundle.adjust(scene), 5)
    start = np.zeros(shared + free)
    theirs = _best(lambda: least_squares(residuals, start, jac=slopes, x_scale="jac", tr_solver="lsmr"), 2)
    print(
        f"the adjustment of {len(views)} views, {shared + free} unknowns: {1000 * ours:.0f} ms, {theirs / ours:.1f} times faster than SciPy's "
        "least squares with the same analytic slopes as a sparse matrix"
    )


def _sparse_slopes(bundle: Any, scene: Any, first: dict[int, int], shared: int, priors: Any) -> Any:
    """The slopes of all weighted residuals as SciPy takes them."""
    columns = Columns(scene)
    stands = [Stands(scene, columns, view, bundle.moves[view.shot]) for view in bundle.dots.views]
    places = np.array([one.place[0] for one in stands]), np.array([one.place[1] for one in stands])
    seen = bundle.dots.seen(*places, scene.cameras).slopes
    weights = [1.0 / bundle.noise[view.target] for view in bundle.dots.views]
    parts, row = [], 0
    for number, view in enumerate(bundle.dots.views):
        mine = (
            seen[bundle.dots.first[number] : bundle.dots.first[number] + len(view.numbers)].reshape(-1, 7)
            * weights[number]
        )
        for twists, at in ((stands[number].own, first[view.target]), (stands[number].common[:, : len(priors)], shared)):
            block = -(mine @ twists)
            rows, cols = np.indices(block.shape)
            parts.append((block.ravel(), rows.ravel() + row, cols.ravel() + at))
        row += len(mine)
    parts.append((priors, row + np.arange(len(priors)), shared + np.arange(len(priors))))
    data, rows, cols = (np.concatenate(part) for part in zip(*parts, strict=True))
    return csr_matrix((data, (rows, cols)), shape=(row + len(priors), shared + len(priors)))


def _still() -> None:
    """A still of four targets, its pictures taken and everything else known, to a solved state."""
    kit = DEFAULT
    scenario = stand(kit, 2, stills=({},))
    setup = setup_of(scenario)
    pictures = {(shot, name): picture for shot, name, picture in scenario.pictures()}
    looked = look(setup, lambda shot, name: pictures[shot, name])
    last = len(setup.shots) - 1
    plates = [target.plate for target in setup.targets]
    rolled = [view for view in looked.views if view.shot != last]
    before = measured(replace(setup, shots=setup.shots[:-1]), replace(looked, views=rolled))
    seen = [view for view in looked.views if view.shot == last]

    def found() -> Any:
        return [find_targets(pictures[last, camera.id], plates, camera) for camera in setup.cameras]

    finding, fitting = _best(found), _best(lambda: followed(setup, before, seen))
    print(
        f"a still of four targets in two pictures: {1000 * finding:.0f} ms to find its dots, {1000 * fitting:.0f} ms to a solved state"
    )


class Tally:
    """Errors and uncertainties by what they are of."""

    def __init__(self) -> None:
        self.found: dict[str, list[tuple[float, float]]] = defaultdict(list)
        self.warned = self.jobs = self.refused = 0

    def add(self, scenario: Scenario, answer: dict[str, Any]) -> None:
        """One set-up's answer."""
        self.jobs += 1
        self.warned += bool(answer["warnings"])
        for path, error, u in [*errors(scenario, answer), *radii(scenario, answer)]:
            self.found[path.rsplit("/", 1)[-1]].append((error, u))

    def merge(self, other: Tally) -> None:
        """Add what another tally found."""
        for name, rows in other.found.items():
            self.found[name] += rows
        self.warned += other.warned
        self.jobs += other.jobs
        self.refused += other.refused

    def table(self) -> None:
        """Bias, spread and coverage as rows of a table."""
        print("| quantity | bias | spread | spread over u | 95% held |")
        print("|---|---|---|---|---|")
        for name, rows in self.found.items():
            off, z = [error for error, _ in rows], [error / u for error, u in rows]
            held = sum(abs(one) <= _95_PERCENT for one in z) / len(z)
            print(
                f"| {name} | {statistics.fmean(off):+.4f} | {statistics.pstdev(off):.4f} | {math.sqrt(statistics.fmean(one * one for one in z)):.3f} | {100 * held:.1f}% |"
            )
        print(f"{self.jobs} set-ups, {self.warned} of them with a warning; {self.refused} more refused")


def _share(job: tuple[RigKit, bool, range]) -> dict[bool, Tally]:
    """Some set-ups of rendered pictures, each read with the rig's level and without."""
    cv2.setNumThreads(1)
    kit, errs, seeds = job
    tallies = {True: Tally(), False: Tally()}
    for seed in seeds:
        scenario = stand(kit, seed, errs=errs)
        looked = looked_at(scenario, setup_of(scenario))
        for up, tally in tallies.items():
            setup = setup_of(scenario, up=up)
            try:
                tally.add(scenario, as_dict(setup, looked, measured(setup, looked)))
            except JobFileError as error:
                print(f"set-up {seed}: {error}", flush=True)
                tally.refused += 1
    return tallies


def _mishap(job: tuple[str, int]) -> tuple[str, bool]:
    cv2.setNumThreads(1)
    name, seed = job
    mishap = MISHAPS[name](seed)
    setup = setup_of(mishap.scenario)
    looked = looked_at(mishap.scenario, setup)
    try:
        answer = as_dict(setup, looked, measured(setup, looked))
    except JobFileError as error:
        answer = {"readings": [], "warnings": [fault._asdict() for fault in error.faults]}
    told = [one for one in answer["readings"] if one["kind"] == "wheel_axis"]
    return name, rightly_named(mishap, answer["warnings"], told)


def report(setups: int = SETUPS, of_each: int = OF_EACH) -> None:
    """The tables of docs/method.md."""
    runs = (
        ("certificate exact (the dots alone)", EXACT, False),
        ("default kit", DEFAULT, True),
        ("cheap kit", CHEAP, True),
    )
    with ProcessPoolExecutor() as pool:
        for title, kit, errs in runs:
            totals = {True: Tally(), False: Tally()}
            step = max(setups // 50, 1)
            jobs = [(kit, errs, range(first, min(first + step, setups))) for first in range(0, setups, step)]
            for tallies in pool.map(_share, jobs):
                for up, tally in tallies.items():
                    totals[up].merge(tally)
            for up, total in totals.items():
                print(f"\n**{title}{'' if up else ', no level'}**\n", flush=True)
                total.table()
        named: dict[str, list[bool]] = defaultdict(list)
        for name, right in pool.map(
            _mishap, [(name, seed) for name in MISHAPS for seed in range(of_each)], chunksize=4
        ):
            named[name].append(right)
    print("\n| mishap | rightly named |\n|---|---|")
    for name, rights in named.items():
        print(f"| {name.replace('_', ' ')} | {sum(rights)} of {len(rights)} |")
