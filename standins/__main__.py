"""``python -m standins play VEHICLE.json --port N --token T`` plays a device; ``python -m standins check URL --token T`` says
whether any device speaks the feed.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import sys
from pathlib import Path
from socket import inet_aton

import uvicorn
from zeroconf import Error as ZeroconfError
from zeroconf import ServiceInfo
from zeroconf.asyncio import AsyncZeroconf

from standins.cameras import SCENES, CameraYard
from standins.check import check
from standins.device import Device, Server
from standins.probe import Probe
from standins.yard import Yard

KINDS = {"wheel_heads": ("heads", "Wheel heads"), "frame_cameras": ("frame_cameras", "Wheel cameras"),
         "angle_gauge": ("gauge", "Angle gauge"), "target_cameras": ("cameras", "Target cameras"),
         "target_cameras_posts": ("cameras", "Target cameras on posts")}  # fmt: skip
"""Which kind of device, and what it is called, by its kit."""


def main(words: list[str]) -> int:
    """One command; answers the exit status."""
    parser = argparse.ArgumentParser(
        prog="python -m standins", description="Devices of the yard, played by small programs."
    )
    commands = parser.add_subparsers(dest="command", required=True)
    play = commands.add_parser("play", help="play a device on a made-up vehicle")
    play.add_argument("vehicle", type=Path, help="a file with vehicle, truth, kit and seed")
    play.add_argument("--port", type=int, required=True)
    play.add_argument("--token", default=os.environ.get("RECTAXIS_STANDIN_TOKEN"), help="or RECTAXIS_STANDIN_TOKEN")
    play.add_argument("--kind", default="", help="probe or sensor_reset, for a vehicle with tyres")
    play.add_argument("--serial", default="S-0001")
    play.add_argument("--rate", type=float, default=10.0, help="readings a second")
    box = commands.add_parser("mailbox", help="play a mail server, and show the letters that came")
    box.add_argument("--port", type=int, required=True, help="where its page is")
    box.add_argument("--smtp-port", type=int, required=True)
    ask = commands.add_parser("check", help="say whether a device speaks the feed")
    ask.add_argument("url")
    ask.add_argument("--token", required=True)
    given = parser.parse_args(words)
    if given.command == "check":
        return check(given.url, given.token)
    if given.command == "mailbox":
        asyncio.run(_keep_letters(given.port, given.smtp_port))
        return 0
    if not given.token:
        parser.error("expected a token: --token, or RECTAXIS_STANDIN_TOKEN in the environment")
    if given.kind in ("probe", "sensor_reset"):
        name = "Tread probe" if given.kind == "probe" else "Sensor resetter"
        asyncio.run(
            _play(
                Device(Probe.load(given.vehicle), given.token, name, given.kind, given.serial, given.rate), given.port
            )
        )
        return 0
    yard = (CameraYard if read_kit(given.vehicle) in SCENES else Yard).load(given.vehicle)
    if yard.kit_code not in KINDS:
        parser.error(f"the kit {yard.kit_code} is not played; expected one of {', '.join(KINDS)}")
    kind, name = KINDS[yard.kit_code]
    asyncio.run(_play(Device(yard, given.token, name, kind, given.serial, given.rate), given.port))
    return 0


def read_kit(vehicle: Path) -> str:
    """The kit that a vehicle's file names."""
    return str(json.loads(vehicle.read_text()).get("kit", ""))


async def _keep_letters(port: int, smtp_port: int) -> None:
    from standins.mailbox import Mailbox, Page, serving

    mailbox = Mailbox()
    settings = uvicorn.Config(Page(mailbox).application, host=_HERE, port=port, log_level="warning", lifespan="off")
    async with await serving(mailbox, _HERE, smtp_port):
        await uvicorn.Server(settings).serve()


async def _play(device: Device, port: int) -> None:
    settings = uvicorn.Config(Server(device).application, host=_HERE, port=port, log_level="warning", lifespan="off",
                              timeout_graceful_shutdown=1)  # fmt: skip
    measuring = asyncio.create_task(device.run())
    line = await _announce(device, port)
    try:
        await uvicorn.Server(settings).serve()
    finally:
        measuring.cancel()
        if line is not None:
            await line.async_close()


async def _announce(device: Device, port: int) -> AsyncZeroconf | None:
    """Say on this machine's network where the device is; None where there is no network to say it on."""
    says = {"name": device.name, "kit": device.yard.kit_code, "serial": device.serial}
    info = ServiceInfo(
        SERVICE, f"{device.serial} {port}.{SERVICE}", addresses=[inet_aton(_HERE)], port=port, properties=says
    )
    try:
        line = AsyncZeroconf(interfaces=[_HERE])
        await line.async_register_service(info, allow_name_change=True)
    except (OSError, ZeroconfError):
        return None
    return line


SERVICE = "_rectaxis._tcp.local."
_HERE = "127.0.0.1"


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
