"""Write down the made-up vehicles that the demo's stand-ins hang on, and pair the stand-ins with their kits."""

import json
import os
import random
from pathlib import Path

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from alignment.procedure.kit import kit as kit_data
from alignment.simulate.truth import random_truth
from rectaxis.demo.business import LIVE
from rectaxis.devices.models import Device
from rectaxis.fleets.layout import Layout
from rectaxis.record.models import Job


class Command(BaseCommand):
    help = "Set up the demo's stand-ins."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, required=True, help="of the first; the next ones follow")

    def handle(self, *_args: object, **options: object) -> None:
        token = os.environ.get("RECTAXIS_STANDIN_TOKEN")
        if not settings.DEMO or not token:
            raise CommandError("This is not the demo: RECTAXIS_DEMO and RECTAXIS_STANDIN_TOKEN are not set.")
        folder = Path(settings.ROOT) / "var" / "standins"
        folder.mkdir(parents=True, exist_ok=True)
        for number, (unit, _, code) in enumerate(LIVE):
            job = Job.objects.filter(vehicle__unit=unit, kit__code=code).first()
            if job is None or job.kit is None:
                continue
            port, serial = int(str(options["port"])) + number, f"S-{number + 1:04d}"
            layout = Layout.from_json(job.layout)
            chance = random.Random(f"stand-in/{unit}")  # noqa: S311 - made-up data
            truth = random_truth(layout.core.vehicle, layout.core.datum, chance)
            data = {
                "vehicle": layout.vehicle,
                "truth": truth,
                "kit": code,
                "seed": number,
                "port": port,
                "serial": serial,
            }
            (folder / f"{serial}.json").write_text(json.dumps(data))
            name = kit_data(code).name
            Device.objects.update_or_create(
                kit=job.kit, identity__id=serial,
                defaults={"name": name, "address": f"http://127.0.0.1:{port}", "token": token, "unpaired": False, "last_event": None},
                create_defaults={"kit": job.kit, "name": name, "address": f"http://127.0.0.1:{port}", "token": token,
                                 "identity": {"id": serial, "serial": serial, "kit": code}},
            )  # fmt: skip
