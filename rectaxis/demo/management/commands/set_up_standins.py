"""Write down the made-up vehicles that the demo's stand-ins hang on, and pair the stand-ins with their kits."""

from __future__ import annotations

import datetime as dt
import json
import os
import random
from collections.abc import Iterator
from typing import Any, NamedTuple

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from alignment.live.self_check import checks_of
from alignment.procedure.kit import kit as kit_data
from alignment.simulate.truth import random_truth
from rectaxis.demo.business import LIVE
from rectaxis.devices.models import Device, SelfCheck
from rectaxis.fleets.layout import Json, Layout
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job


class Played(NamedTuple):
    """One stand-in: its kit, its name, what it is, and the file that it is played from."""

    kit: Kit
    name: str
    kind: str
    data: Json


class Command(BaseCommand):
    help = "Set up the demo's stand-ins."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, required=True, help="of the first; the next ones follow")

    def handle(self, *_args: object, **options: Any) -> None:
        token = os.environ.get("RECTAXIS_STANDIN_TOKEN")
        if not settings.DEMO or not token:
            raise CommandError("This is not the demo: RECTAXIS_DEMO and RECTAXIS_STANDIN_TOKEN are not set.")
        folder = settings.VAR / "standins"
        folder.mkdir(parents=True, exist_ok=True)
        for number, played in enumerate(_all()):
            port, serial = int(options["port"]) + number, f"S-{number + 1:04d}"
            data = played.data | {"seed": number, "port": port, "serial": serial, "kind": played.kind}
            (folder / f"{serial}.json").write_text(json.dumps(data))
            self._pair(played, f"http://127.0.0.1:{port}", serial, token)

    @staticmethod
    def _pair(played: Played, address: str, serial: str, token: str) -> None:
        """Pair a stand-in that has not been started yet: what it will say of itself is known."""
        device = Device.objects.filter(identity__id=serial).first() or Device()
        device.kit, device.name, device.address, device.token = played.kit, played.name, address, token
        device.identity = {"id": serial, "serial": serial, "kind": played.kind}
        device.unpaired, device.last_event = False, None
        device.save()
        if played.kit.code == LIVE[0][2] and not played.kind and not device.self_checks.exists():
            _past_checks(device)


def _past_checks(device: Device) -> None:
    """Half a year of self-checks of the heads, of which one wanders slowly."""
    mara, now = User.objects.get(username="mara"), timezone.now()
    check = checks_of(device.kit.code)[0]
    for month in range(6):
        results = [
            {"title": check.title, "limit": check.limit, "unit": check.unit, "key": f"{check.what}/{axle}/{side}", "off": off, "good": abs(off) <= check.limit}
            for axle, side, off in ((1, "left", 0.006 + 0.0055 * month), (1, "right", -0.004), (2, "left", 0.003), (2, "right", 0.005))
        ]  # fmt: skip
        at = now - dt.timedelta(days=180 - 30 * month)
        SelfCheck.objects.create(device=device, by=mara, began_at=at, ended_at=at, results=results)


def _all() -> Iterator[Played]:
    """Heads and cameras on their vehicles, and with the heads a probe and a resetter."""
    for unit, _, code in LIVE:
        job = Job.objects.filter(vehicle__unit=unit, kit__code=code).first()
        if job is None or job.kit is None:
            continue
        layout = Layout.from_json(job.layout)
        chance = random.Random(f"stand-in/{unit}")  # noqa: S311 - made-up data
        truth = random_truth(layout.core.vehicle, layout.core.datum, chance)
        yield Played(job.kit, kit_data(code).name, "", {"vehicle": layout.vehicle, "truth": truth, "kit": code})
        if code != LIVE[0][2]:
            continue
        tyres = {
            f"{axle.number}/{side}": {"pressure": round(chance.gauss(3.1, 0.1), 2), "tread": [round(chance.uniform(3.5, 7.5), 1) for _ in range(3)]}
            for axle in layout.core.vehicle.axles for side in ("left", "right")
        }  # fmt: skip
        for kind, name in (("probe", "Tread probe"), ("sensor_reset", "Sensor resetter")):
            yield Played(job.kit, name, kind, {"tyres": tyres})
