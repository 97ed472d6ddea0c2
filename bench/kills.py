"""Kills at random moments while people type, move, lift, seal and send photos: what was acknowledged is there once, and a seal has what was before it.

A demo of its own is served by ``./run`` below a temporary folder. Killed, by the signal that nothing hears: a web process, the web server with
its processes left behind, the worker, the database server, one of its processes, or all at once. ``RECTAXIS_KILLS`` says how many. What is
there in the end is read from the database by SQL alone.
"""

from __future__ import annotations

import contextlib
import io
import os
import random
import re
import signal
import threading
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field

import httpx
from PIL import Image
from uuid6 import uuid7

from bench.served import Served, a_demo, headers, new_visit, sign_in

KILLS, CLIENTS = 1_000, 5
_PAUSE_S = 0.5, 2.5
_WEIGHTS = {
    "a web process": 5,
    "the web server": 1,
    "the worker": 2,
    "the database server": 2,
    "a process of the database": 4,
    "all": 1,
}
_GENTLY_S = 11.0
"""The web server itself is killed no more often: while it goes on to end it is started again later and later."""


@dataclass
class Acknowledged:
    """What a client was told is saved: numbers by their key, moves, photos; and by seal what was acknowledged before it was asked for."""

    entries: dict[str, tuple[str, str]] = field(default_factory=dict)
    moves: set[str] = field(default_factory=set)
    photos: set[str] = field(default_factory=set)
    seals: list[tuple[str, str, frozenset[str]]] = field(default_factory=list)


class Client(threading.Thread):
    """Somebody who works without a pause, and sends again what was not answered."""

    def __init__(self, base: str, vehicle: str, kit: str, over: threading.Event, seed: int) -> None:
        super().__init__(daemon=True)
        self.http = httpx.Client(base_url=base, timeout=15)
        self.vehicle, self.kit, self.over, self.rng = vehicle, kit, over, random.Random(seed)
        self.told, self.again, self.error = Acknowledged(), 0, ""
        self.of_visit: dict[str, str] = {}

    def run(self) -> None:
        """Visit after visit until it is over."""
        try:
            while not self.over.is_set():
                self.visit()
        except _Over:
            pass
        except Exception as error:  # noqa: BLE001 - it is told at the end
            self.error = f"{type(error).__name__}: {error}"

    def send(self, method: str, path: str, **what: object) -> httpx.Response:
        """Until it is answered, signed in again where that is asked for."""
        while True:
            with contextlib.suppress(httpx.HTTPError):
                answer = self.http.request(method, path, **what)  # type: ignore[arg-type]
                if answer.has_redirect_location and "/sign-in/" in answer.headers["Location"]:
                    sign_in(self.http)
                elif answer.status_code < 500 and answer.status_code != 403:
                    return answer
                elif answer.status_code == 403:
                    sign_in(self.http)
            if self.over.is_set():
                raise _Over
            self.again += 1
            time.sleep(0.3)
            what["headers"] = headers(self.http)

    def post(self, path: str, **what: object) -> httpx.Response:
        return self.send("POST", path, headers=headers(self.http), **what)

    def visit(self) -> None:
        """One visit, as far as it goes."""
        given = new_visit(self.vehicle, self.kit)
        self.send("GET", "/")
        job = re.search(r"/jobs/([0-9a-f-]{36})/", self.post("/jobs/new/", data=given).headers.get("Location", ""))
        if job is None:
            raise RuntimeError("no visit could be planned")
        at, self.of_visit = f"/jobs/{job[1]}", {}
        slots = sorted(set(re.findall(r'data-slot="(before/[^"]+)"', self.send("GET", f"{at}/read/").text)))
        for _ in range(14):
            self.type_in(at, slots)
            if self.rng.random() < 0.2:
                self.photo(at)
        self.seal(at, job[1], "before", "/set/")
        for _ in range(10):
            self.move(at)
            self.type_in(at, [slot.replace("before/", "set/", 1) for slot in slots])
        self.post(f"{at}/lift/up/")
        self.type_in(at, [slot.replace("before/", "air/", 1) for slot in slots])
        self.post(f"{at}/lift/down/")
        for _ in range(8):
            self.type_in(at, [slot.replace("before/", "after/", 1) for slot in slots])
        self.seal(at, job[1], "after", "/hand-over/")

    def type_in(self, at: str, slots: list[str]) -> None:
        if self.over.is_set():
            raise _Over
        typed = {
            str(uuid7()): (self.rng.choice(slots), f"{self.rng.uniform(0, 60):.1f}")
            for _ in range(self.rng.randint(1, 4))
        }
        body = {"entries": [{"id": key, "slot": slot, "typed": text} for key, (slot, text) in typed.items()]}
        for result in self.post(f"{at}/entries/", json=body).json()["results"]:
            if result["status"] == "saved":
                self.told.entries[result["id"]] = typed[result["id"]]
                self.of_visit[result["id"]] = typed[result["id"]][0]
        time.sleep(self.rng.uniform(0.0, 0.1))

    def move(self, at: str) -> None:
        key = str(uuid7())
        given = {
            "key": key,
            "adjuster": self.rng.choice(("A2 left tie rod", "A2 right tie rod")),
            "amount": "1",
            "way": self.rng.choice(("up", "down")),
        }
        if self.post(f"{at}/moves/", data=given).headers.get("Location", "").endswith("/set/"):
            self.told.moves.add(key)

    def photo(self, at: str) -> None:
        made = io.BytesIO()
        colour = tuple(self.rng.randrange(256) for _ in range(3))
        Image.new("RGB", (120, 80), colour).save(made, "JPEG")
        answer = self.post(
            f"{at}/photos/",
            data={"slot": "arrive/damage"},
            files={"photo": ("a.jpg", made.getvalue(), "image/jpeg")},
        )
        if answer.status_code == httpx.codes.OK:
            self.told.photos.add(answer.json()["id"])

    def seal(self, at: str, job: str, phase: str, then: str) -> None:
        before = frozenset(key for key, slot in self.of_visit.items() if slot.startswith(f"{phase}/"))
        if self.post(f"{at}/seal/{phase}/").headers.get("Location", "").endswith(then):
            self.told.seals.append((job, phase, before))


class _Over(Exception):  # noqa: N818 - nothing went wrong
    """The time is up."""


def _kill(served: Served, rng: random.Random, last: dict[str, float]) -> str:
    """Kill something; answers with what, empty where there was nothing to be killed."""
    names = [
        name
        for name in _WEIGHTS
        if name not in ("the web server", "all") or time.monotonic() - last.get("web", 0.0) > _GENTLY_S
    ]
    what = rng.choices(names, [_WEIGHTS[name] for name in names])[0]
    with contextlib.suppress(OSError, ValueError):
        there = served.processes(what)
        there = there if what == "all" else there and [rng.choice(there)]
        for pid in there:
            os.kill(pid, signal.SIGKILL)
        if there and what in ("the web server", "all"):
            last["web"] = time.monotonic()
        return what if there else ""
    return ""


def _lost(served: Served, clients: list[Client]) -> Iterator[str]:
    """What was acknowledged and is not there as it should be."""
    rows = {str(key): (slot, typed) for key, slot, typed in served.sql("SELECT id, slot, typed FROM jobs_entry")}
    moves = {str(key) for (key,) in served.sql("SELECT id FROM jobs_move")}
    photos = {str(key): str(digest) for key, digest in served.sql("SELECT id, digest FROM jobs_photo")}
    seals = {(str(job), phase): (sequence, n) for job, phase, sequence, n in served.sql(
        "SELECT job_id, phase, max(sequence), count(*) FROM jobs_seal WHERE revision = 1 GROUP BY 1, 2")}  # fmt: skip
    at = {str(key): sequence for key, sequence in served.sql("SELECT id, sequence FROM jobs_entry")}
    twice = served.sql("SELECT job_id, sequence FROM (SELECT job_id, sequence FROM jobs_entry UNION ALL SELECT job_id, sequence FROM jobs_move "
                       "UNION ALL SELECT job_id, sequence FROM jobs_seal) x GROUP BY 1, 2 HAVING count(*) > 1")  # fmt: skip
    yield from (f"two things have one place: {one}" for one in twice)
    for client in clients:
        told = client.told
        yield from (f"number {key} is lost or another" for key, what in told.entries.items() if rows.get(key) != what)
        yield from (f"move {key} is lost" for key in told.moves - moves)
        for key in told.photos:
            if not list((served.folder / "media").rglob(f"{photos.get(key, 'none')}*")):
                yield f"photo {key} is lost"
        for job, phase, before in told.seals:
            sealed, count = seals.get((job, phase), (0, 0))
            if count != 1:
                yield f"{phase} of {job} is sealed {count} times"
            yield from (
                f"number {key} is not in the seal that came after it"
                for key in before
                if not at.get(key, 1 << 60) < sealed
            )


def report() -> bool:
    """Kill, and look; whether nothing was lost."""
    count, rng = int(os.environ.get("RECTAXIS_KILLS", str(KILLS))), random.Random(5)
    over = threading.Event()
    with a_demo() as served:
        (kit,) = served.sql("SELECT id FROM kits_kit WHERE code = 'mirror_lasers' LIMIT 1")[0]
        vehicles = [
            str(pk)
            for (pk,) in served.sql(
                f"SELECT id FROM fleets_vehicle WHERE unit LIKE 'Van %' ORDER BY unit LIMIT {CLIENTS}"
            )
        ]
        clients = [Client(served.base, vehicle, str(kit), over, seed) for seed, vehicle in enumerate(vehicles)]
        for client in clients:
            sign_in(client.http)
            client.start()
        began, killed, last = time.monotonic(), Counter[str](), dict[str, float]()
        while killed.total() < count and served.run.poll() is None:
            time.sleep(rng.uniform(*_PAUSE_S))
            what = _kill(served, rng, last)
            if what:
                killed[what] += 1
        there = served.ready(90)
        over.set()
        for client in clients:
            client.join(60)
        return _told(served, clients, killed, time.monotonic() - began, there=there)


def _told(served: Served, clients: list[Client], killed: Counter[str], took: float, *, there: bool) -> bool:
    lost = list(_lost(served, clients)) if there else ["it did not come back"]
    lost += [client.error for client in clients if client.error]
    count = {
        name: sum(len(getattr(client.told, name)) for client in clients)
        for name in ("entries", "moves", "photos", "seals")
    }
    print(f"{killed.total():,} kills in {took / 60:.0f} minutes ({', '.join(f'{n} of {what}' for what, n in killed.most_common())}); "
          f"sent again {sum(client.again for client in clients):,} times")  # fmt: skip
    print("acknowledged: " + ", ".join(f"{n:,} {name}" for name, n in count.items()))
    print(f"{len(lost)} lost or twice" + "".join(f"\n  {one}" for one in lost[:20]))
    return not lost and all(count.values())
