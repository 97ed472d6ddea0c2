"""Follow the paired devices until stopped."""

import asyncio
import contextlib

from django.core.management.base import BaseCommand

from rectaxis.devices.follower import Follower
from rectaxis.stages.moving import Moving


class Command(BaseCommand):
    help = "Follow the devices that are paired with kits, and tell the pages what they say and what follows from it."

    def handle(self, *_args: object, **_options: object) -> None:
        with contextlib.suppress(KeyboardInterrupt):
            asyncio.run(Follower(Moving()).run())
