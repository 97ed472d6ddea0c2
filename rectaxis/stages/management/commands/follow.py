"""Follow the paired devices until stopped."""

import asyncio
import contextlib

from django.core.management.base import BaseCommand

from rectaxis.common.connections import give_back
from rectaxis.devices.actions.calibrate_cameras import held_waiting, keep_held
from rectaxis.devices.follower import Follower
from rectaxis.stages.looking import NAMED, Watching
from rectaxis.visit.actions.take_shot import keep_shot, shots_waiting

WATCHING = Watching()


def kept(device: str, shot: str, camera: str, raw: bytes, moved: bool) -> None:  # noqa: FBT001 - as the follower calls it
    """Take in a picture, whatever it is of, in a thread whose connection to the database ends with it."""
    try:
        if shot.startswith(NAMED):
            WATCHING.looking.keep(device, shot, camera, raw, moved=moved)
            return
        keep_held(device, shot, camera, raw)
        keep_shot(device, shot, camera, raw, moved=moved)
    finally:
        give_back()


def waiting() -> list[tuple[str, str]]:
    """All shots whose pictures have not come, each with its device."""
    return [*shots_waiting(), *held_waiting()]


class Command(BaseCommand):
    help = "Follow the devices that are paired with kits, and tell the pages what they say and what follows from it."
    requires_system_checks = ()  # of pages and forms, which are not loaded here

    def handle(self, *_args: object, **_options: object) -> None:
        with contextlib.suppress(KeyboardInterrupt):
            asyncio.run(Follower(WATCHING, kept, waiting).run())
