"""Mutated and truncated pictures and set-ups: a fault, or readings; never a traceback, a hang, or memory without bound."""

from __future__ import annotations

import contextlib
import copy
import io
import json
import random
import resource
import tempfile
import time
import traceback
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from alignment.__main__ import main
from alignment.simulate.rigs import SMALL, stand

COUNT = 2000
LONGEST_S, MOST_MB = 30.0, 1500.0
_VALUES: tuple[Any, ...] = (
    0,
    -1,
    1e-300,
    1e300,
    1e6,
    2,
    99,
    "left",
    "roll",
    "sweep",
    "still",
    None,
    True,
    [],
    {},
    [1, 2, 3],
    "../x.png",
    "s0-a.png",
    0.5,
)


def report(count: int = COUNT, seed: int = 1) -> bool:
    """Print what came of so many broken set-ups; whether all is well."""
    cv2.setNumThreads(1)
    rng = random.Random(seed)
    outcomes = {"read": 0, "refused": 0, "crashed": 0}
    slowest = 0.0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        good, pictures = _written(folder)
        for _ in range(count):
            document = copy.deepcopy(good)
            if rng.random() < 0.5:
                _damage_picture(folder, document, pictures, rng)
            else:
                for _ in range(rng.randint(1, 3)):
                    _damage(document, rng)
            raw = json.dumps(document).encode()
            if rng.random() < 0.05:
                raw = raw[: rng.randrange(len(raw))]
            (folder / "setup.json").write_bytes(raw)
            began = time.monotonic()
            outcomes[_outcome(folder / "setup.json")] += 1
            slowest = max(slowest, time.monotonic() - began)
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{count} broken set-ups of pictures: {outcomes}, the slowest {slowest:.1f} s, {memory:.0f} MB at most")
    return not outcomes["crashed"] and slowest < LONGEST_S and memory < MOST_MB


def _written(folder: Path) -> tuple[dict[str, Any], dict[str, bytes]]:
    scenario = stand(SMALL, 7, rolls=(0, -12, -24), sweeps=(-8, 8), stills=({},))
    document, pictures = scenario.document(), {}
    for shot, name, picture in scenario.pictures():
        file = document["shots"][shot]["pictures"][name]
        pictures[file] = cv2.imencode(".png", picture)[1].tobytes()
        (folder / file).write_bytes(pictures[file])
    return document, pictures


def _damage_picture(folder: Path, document: dict[str, Any], pictures: dict[str, bytes], rng: random.Random) -> None:
    shot = rng.choice(document["shots"])
    camera = rng.choice(list(shot["pictures"]))
    raw = bytearray(pictures[shot["pictures"][camera]])
    if rng.random() < 0.5:
        image = cv2.imdecode(np.frombuffer(bytes(raw), dtype=np.uint8), cv2.IMREAD_GRAYSCALE)
        raw = bytearray(cv2.imencode(".jpg", np.asarray(image))[1].tobytes())
    if rng.random() < 0.5:
        raw = raw[: rng.randrange(len(raw))]
    for _ in range(rng.randrange(8)):
        if raw:
            # The head of a file says how large it is and how it is packed: it is hit as often as all the rest.
            raw[rng.randrange(min(len(raw), 200)) if rng.random() < 0.5 else rng.randrange(len(raw))] = rng.randrange(
                256
            )
    (folder / "broken.img").write_bytes(bytes(raw))
    shot["pictures"][camera] = "broken.img"


def _damage(document: dict[str, Any], rng: random.Random) -> None:
    places = []
    waiting: list[Any] = [document]
    while waiting:
        container = waiting.pop()
        for key in list(container) if isinstance(container, dict) else range(len(container)):
            places.append((container, key))
            if isinstance(container[key], dict | list):
                waiting.append(container[key])
    numbers = [(c, k) for c, k in places if isinstance(c[k], int | float) and not isinstance(c[k], bool)]
    if numbers and rng.random() < 0.6:
        container, key = rng.choice(numbers)
        container[key] = container[key] * rng.choice((1.001, 1.1, -1, 0.5, 10, 1e-6)) + rng.choice((0, 0, 0.1, 1))
        return
    container, key = rng.choice(places)
    match rng.randrange(3):
        case 0:
            del container[key]
        case 1 if isinstance(container, list):
            container.append(copy.deepcopy(container[key]))
        case _:
            container[key] = rng.choice(_VALUES)


def _outcome(path: Path) -> str:
    said = io.StringIO()
    try:
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
            return "refused" if main(["pictures", str(path)]) else "read"
    except Exception as error:  # noqa: BLE001 - whatever it is, it is what is looked for
        print(f"{type(error).__name__}: {error}\n{path.read_text(errors='replace')[:300]}")
        traceback.print_exc(limit=-3)
        return "crashed"
