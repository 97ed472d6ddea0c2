"""Twenty pages open on one vehicle while its wheels move: how long from a device's event to the page, and what it costs.

``./run bench live``. The web server, the follower and the device are processes of their own, as in the yard.
"""

from __future__ import annotations

import asyncio
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import httpx
from django.db import connection
from django.test import Client
from django.utils import timezone

from rectaxis.devices.actions.pair_device import pair_device
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.visit.actions.open_job import open_job
from tests.demo import put_out_the_demo
from tests.devices import ROOT, TOKEN, StandIn, free_port, url_of_database

PAGES, STEPS, RATE_HZ = 20, 30, 10.0
_TURNS_DEG = 1.0
_WAITS_S = 5.0


def report(pages: int = PAGES, steps: int = STEPS) -> None:
    """Print latencies, and the share of one core that each process takes."""
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
        web = subprocess.Popen([sys.executable, "-m", "uvicorn", "rectaxis.asgi:application", "--port", str(port), "--log-level", "critical",
                                "--lifespan", "off", "--timeout-graceful-shutdown", "1"], cwd=ROOT, env=environment)  # fmt: skip
        follower = subprocess.Popen([sys.executable, "manage.py", "follow"], cwd=ROOT, env=environment)
        connection.close()
        try:
            assert job.kit is not None
            pair_device(person, job.kit, device.address, TOKEN)
            address = f"http://127.0.0.1:{port}/jobs/{job.pk}/devices/?phase=before"
            asyncio.run(_measure(address, cookie, device, {"web": web.pid, "follower": follower.pid}, pages, steps))
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


async def _measure(address: str, cookie: str, device: StandIn, pids: dict[str, int], pages: int, steps: int) -> None:
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
