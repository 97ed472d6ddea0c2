"""Twenty pages open on one vehicle while its wheels move: how long from a device's event to the page, and what it costs.

``./run bench live``, and ``./run bench open`` for a page that is left open. The web server, the follower and the device are processes of their own, as in the yard.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import httpx
from django.db import connection
from django.test import Client
from django.utils import timezone
from playwright.sync_api import sync_playwright

from rectaxis.devices.actions.pair_device import pair_device
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.visit.actions.open_job import open_job
from tests.browser import CHROMIUM, FLAGS
from tests.demo import put_out_the_demo
from tests.devices import ROOT, TOKEN, StandIn, free_port, url_of_database, wait_for_port

PAGES, STEPS, RATE_HZ = 20, 30, 10.0
OPEN_MINUTES = 12.0
_TURNS_DEG = 1.0
_WAITS_S = 5.0


def report(pages: int = PAGES, steps: int = STEPS) -> None:
    """Print latencies, and the share of one core that each process takes."""
    with _yard() as yard:
        asyncio.run(_measure(f"{yard.web}/jobs/{yard.job}/devices/?phase=before", yard, pages, steps))


def left_open(minutes: float = OPEN_MINUTES) -> None:
    """Print how much a page, and the processes behind it, grow while the page is open on a vehicle whose numbers never rest."""
    with _yard() as yard, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_context().new_page()
        page.context.add_cookies([{"name": "sessionid", "value": yard.cookie, "url": yard.web}])
        page.goto(f"{yard.web}/jobs/{yard.job}/read/")
        # A page whose scripts did not run would not grow either.
        page.wait_for_selector("[data-live].settled")
        inside = page.context.new_cdp_session(page)
        inside.send("Performance.enable")
        seen, began = [], time.monotonic()
        # What is made once, as caches are filled, is no growth: the first minute is not counted.
        for at in (1.0, (1.0 + minutes) / 2, minutes):
            page.wait_for_timeout(max(0.0, 60_000 * at - 1000 * (time.monotonic() - began)))
            inside.send("HeapProfiler.collectGarbage")
            metrics = {one["name"]: one["value"] for one in inside.send("Performance.getMetrics")["metrics"]}
            seen.append(
                (
                    metrics["JSHeapUsedSize"] / 1e6,
                    metrics["Nodes"],
                    metrics["JSEventListeners"],
                    *map(_resident, yard.pids.values()),
                )
            )
        browser.close()
    print(
        f"a page left open for {minutes:g} minutes at {RATE_HZ:.0f} readings a second; after 1 minute, in the middle, at the end:"
    )
    for name, *values in zip(
        ("page, MB", "its nodes", "its listeners", *(f"{name}, MB" for name in yard.pids)), *seen, strict=True
    ):
        print(f"{name}: {', '.join(f'{value:.1f}' for value in values)}")


def _resident(pid: int) -> float:
    """Memory that a process holds, MB."""
    (line,) = [one for one in Path(f"/proc/{pid}/status").read_text().splitlines() if one.startswith("VmRSS")]
    return int(line.split()[1]) / 1000


class _Yard(NamedTuple):
    """A visit with a device on its vehicle, the follower and a web server: where it is, who is signed in, and which processes."""

    web: str
    job: str
    cookie: str
    device: StandIn
    pids: dict[str, int]


@contextlib.contextmanager
def _yard() -> Iterator[_Yard]:
    put_out_the_demo()
    person = User.objects.get(username="mara")
    job = _visit(person)
    browser = Client()
    browser.force_login(person)
    cookie = browser.cookies["sessionid"].value
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "van.json"
        path.write_text(
            json.dumps({"vehicle": Layout.from_json(job.layout).vehicle, "truth": {}, "kit": "wheel_heads", "seed": 1})
        )
        device = StandIn(path, "S-1", rate=RATE_HZ)
        environment = os.environ | {"RECTAXIS_DATABASE": url_of_database()}
        port = free_port()
        web = subprocess.Popen([sys.executable, "-m", "uvicorn", "bench.serving:application", "--port", str(port), "--log-level", "critical",
                                "--lifespan", "off", "--timeout-graceful-shutdown", "1"], cwd=ROOT, env=environment)  # fmt: skip
        follower = subprocess.Popen([sys.executable, "manage.py", "follow"], cwd=ROOT, env=environment)
        connection.close()
        try:
            assert job.kit is not None
            pair_device(person, job.kit, device.address, TOKEN)
            wait_for_port(port)
            yield _Yard(
                f"http://127.0.0.1:{port}", str(job.pk), cookie, device, {"web": web.pid, "follower": follower.pid}
            )
        finally:
            for process in (web, follower):
                process.terminate()
                process.wait(10)
            device.stop()


def _visit(person: User) -> Job:
    kit = Kit.objects.create(name="Heads", code="wheel_heads")
    return open_job(person, Vehicle.objects.get(unit="Van 9"), kit, timezone.now())


class Ear:
    """When a number was last seen to have moved, by one who listens."""

    def __init__(self) -> None:
        self.value: float | None = None
        self.moved_at = 0.0
        self.messages = 0

    def hear(self, value: float) -> None:
        """A number, as it comes: what moves by less is noise."""
        if self.value is None or abs(value - self.value) > _TURNS_DEG / 2:
            self.value, self.moved_at = value, time.perf_counter()


async def _listen(url: str, headers: dict[str, str], ear: Ear, find: Any) -> None:
    async with httpx.AsyncClient(timeout=None) as client, client.stream("GET", url, headers=headers) as answer:
        answer.raise_for_status()
        async for line in answer.aiter_lines():
            if not line.startswith("data: "):
                continue
            ear.messages += 1
            value = find(json.loads(line[6:]))
            if value is not None:
                ear.hear(value)


def _turned(message: dict[str, Any]) -> float | None:
    """By how much the page draws the left front wheel turned."""
    value: float | None = message.get("wheels", {}).get("1/left")
    return value


def _seen(message: dict[str, Any]) -> float | None:
    """What the device says of the left front wheel, to its opposite."""
    for one in message.get("measured", ()):
        if (one["what"], one["axle"], one["side"], one.get("to")) == ("sight", 1, "left", "1"):
            return float(one["value"])
    return None


async def _measure(address: str, yard: _Yard, pages: int, steps: int) -> None:
    cookie, device, pids = yard.cookie, yard.device, yard.pids
    ears, itself = [Ear() for _ in range(pages)], Ear()
    tasks = [asyncio.create_task(_listen(address, {"Cookie": f"sessionid={cookie}"}, ear, _turned)) for ear in ears]
    tasks.append(
        asyncio.create_task(_listen(f"{device.address}/events", {"Authorization": f"Bearer {TOKEN}"}, itself, _seen))
    )
    await _until(lambda: itself.value is not None and all(ear.value is not None for ear in ears), 60.0)
    await asyncio.sleep(3.0)
    found: list[float] = []
    began, before, heard = time.perf_counter(), _cpu(pids), sum(ear.messages for ear in ears)
    for step in range(steps):
        since = time.perf_counter()
        await asyncio.to_thread(
            device.do, "adjust", path="axles/1/left/toe_deg", by=_TURNS_DEG * (1 if step % 2 == 0 else -1)
        )
        await _until(
            lambda since=since: itself.moved_at > since and all(ear.moved_at > since for ear in ears), _WAITS_S
        )
        found += [1000 * (ear.moved_at - itself.moved_at) for ear in ears]
        await asyncio.sleep(0.37)
    seconds = time.perf_counter() - began
    for task in tasks:
        task.cancel()
    found.sort()
    rate = (sum(ear.messages for ear in ears) - heard) / seconds / pages
    print(
        f"{pages} pages open on one vehicle, {RATE_HZ:.0f} readings a second from the device, {rate:.1f} messages a second to each page"
    )
    print(
        f"from the device's event to the page: median {statistics.median(found):.0f} ms, 95 % within {found[int(0.95 * len(found))]:.0f} ms, at most {found[-1]:.0f} ms"
    )
    for name, used in _cpu(pids).items():
        print(f"{name}: {100 * (used - before[name]) / seconds:.0f} % of one core")


def _cpu(pids: dict[str, int]) -> dict[str, float]:
    """Seconds of processor time that each process took so far."""
    tick = os.sysconf("SC_CLK_TCK")
    found = {}
    for name, pid in pids.items():
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        found[name] = (int(fields[11]) + int(fields[12])) / tick
    return found


async def _until(condition: Any, most: float) -> None:
    until = time.perf_counter() + most
    while not condition():
        if time.perf_counter() > until:
            raise TimeoutError("the pages were not told of it")
        await asyncio.sleep(0.002)
