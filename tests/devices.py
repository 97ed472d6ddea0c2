"""Tests with devices: the application as it is really served, the follower and the stand-ins as processes of their own."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock
from urllib.parse import urlencode

import uvicorn
from django.contrib.staticfiles.handlers import ASGIStaticFilesHandler
from django.core.asgi import get_asgi_application
from django.core.files.storage import FileSystemStorage, default_storage
from django.db import connection
from django.test.testcases import LiveServerThread
from django.utils import timezone

from rectaxis.devices.actions.pair_device import pair_device
from rectaxis.devices.models import Device
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.visit.actions.open_job import open_job
from tests.browser import BrowserTestCase

ROOT = Path(__file__).resolve().parent.parent
TOKEN = "a-token-of-the-yard"


class AsgiThread(LiveServerThread):
    """The application under uvicorn: an endless stream never ends under Django's own test server."""

    def run(self) -> None:
        """Serve until told to stop."""
        listening = socket.socket()
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listening.bind((self.host, 0))
        listening.listen(64)
        self.port = listening.getsockname()[1]
        application = ASGIStaticFilesHandler(get_asgi_application())
        settings = uvicorn.Config(application, log_level="critical", lifespan="off", timeout_graceful_shutdown=1)
        self.server = uvicorn.Server(settings)
        self.is_ready.set()
        self.server.run(sockets=[listening])

    def terminate(self) -> None:
        """Stop serving."""
        self.server.should_exit = True
        self.join(10)


def free_port() -> int:
    """A port of loopback that nobody uses."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


def wait_for_port(port: int) -> None:
    """Wait until something on loopback answers there. **Raises** AssertionError after 45 s."""
    until = time.monotonic() + 45
    while time.monotonic() < until:
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.05)
    raise AssertionError(f"nothing answers on port {port}")


def url_of_database() -> str:
    """The test's own database, as other processes reach it."""
    settings = connection.settings_dict
    return f"postgresql://{settings['USER']}:{settings['PASSWORD']}@{settings['HOST']}:{settings['PORT']}/{settings['NAME']}"


class StandIn:
    """A device that is played by a process of its own."""

    def __init__(self, vehicle: Path, serial: str, rate: float = 10.0, kind: str = "") -> None:
        port = free_port()
        self.address = f"http://127.0.0.1:{port}"
        command = [
            sys.executable, "-m", "standins", "play", str(vehicle), "--port", str(port), "--token", TOKEN, "--serial", serial,
            "--rate", str(rate), *(("--kind", kind) if kind else ()),
        ]  # fmt: skip
        self.process = subprocess.Popen(command, cwd=ROOT)
        wait_for_port(port)

    def do(self, do: str, **more: object) -> None:
        """What a person does at its control page."""
        body = urlencode({"do": do, **more}).encode()
        urllib.request.urlopen(f"{self.address}/control", body, timeout=5).close()

    def stop(self) -> None:
        """End the process."""
        self.process.terminate()
        self.process.wait(10)


class YardTestCase(BrowserTestCase):
    """A browser, the follower, and devices. One follower serves all tests of a class; the devices of the test before are gone from the database."""

    server_thread_class = AsgiThread
    folder: ClassVar[tempfile.TemporaryDirectory[str]]
    follower: ClassVar[subprocess.Popen[bytes] | None] = None

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        # Only for these tests: what others keep in memory stays there.
        kept = mock.patch.object(default_storage, "_wrapped", FileSystemStorage(cls.folder.name))
        kept.start()
        cls.addClassCleanup(kept.stop)
        cls.addClassCleanup(cls.kill_follower)

    def setUp(self) -> None:
        super().setUp()
        self.standins: list[StandIn] = []
        self.addCleanup(self._stop)
        if self.follower is None:
            self.follow()

    def _stop(self) -> None:
        for standin in self.standins:
            standin.stop()

    @classmethod
    def follow(cls) -> None:
        """Start the follower on the tests' own database."""
        environment = os.environ | {"RECTAXIS_DATABASE": url_of_database(), "RECTAXIS_TEST_MEDIA": cls.folder.name}
        cls.follower = subprocess.Popen([sys.executable, "manage.py", "follow"], cwd=ROOT, env=environment)

    @classmethod
    def kill_follower(cls) -> None:
        """End the follower as a fault would, without a word."""
        if cls.follower is not None:
            cls.follower.send_signal(signal.SIGKILL)
            cls.follower.wait(10)
            cls.follower = None

    def accessory(self, kit: Kit, kind: str, tyres: dict[str, Any]) -> StandIn:
        """A probe or a resetter, paired with a kit."""
        path = Path(self.folder.name) / f"{kind}.json"
        path.write_text(json.dumps({"tyres": tyres, "seed": 2}))
        standin = StandIn(path, f"P-{kind}", kind=kind)
        self.standins.append(standin)
        pair_device(User.objects.get(username="mara"), kit, standin.address, TOKEN)
        return standin

    def device(
        self, job: Job, kit: Kit, truth: dict[str, float], serial: str = "S-7", hangs: list[int] | None = None
    ) -> tuple[StandIn, Device]:
        """A stand-in on a visit's vehicle, on all its axles or those it ``hangs`` on, paired with one of its kits."""
        layout = Layout.from_json(job.layout)
        data: dict[str, Any] = {"vehicle": layout.vehicle, "truth": truth, "kit": kit.code, "seed": 5}
        data |= {"hangs": hangs} if hangs else {}
        path = Path(self.folder.name) / f"{serial}.json"
        path.write_text(json.dumps(data))
        standin = StandIn(path, serial)
        self.standins.append(standin)
        return standin, pair_device(User.objects.get(username="mara"), kit, standin.address, TOKEN)


class HeadsTestCase(YardTestCase):
    """A visit to a van with wheel heads."""

    def setUp(self) -> None:
        super().setUp()
        self.heads = Kit.objects.create(name="Heads", code="wheel_heads")
        self.mara = User.objects.get(username="mara")
        self.job = open_job(self.mara, Vehicle.objects.get(unit="Van 9"), self.heads, timezone.now())
