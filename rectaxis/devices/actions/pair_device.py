"""Pair a device with a kit, ask something of it, and part with it."""

from __future__ import annotations

import datetime as dt
from urllib.parse import urlsplit

import httpx
from django.db import transaction

from rectaxis.devices.channel import want
from rectaxis.devices.feed import ACCESSORIES, Identity
from rectaxis.devices.models import Device
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User

ASKS = {"identify": "blink", "zero": "set its zero", "seen": "go on after something moved",
        "reset_sensor": "reset the steering angle sensor"}  # fmt: skip
"""What a person may ask of a device from here, in words."""


class PairingError(ValueError):
    """Why a device is not paired, in a sentence, with the ``field`` that is wrong."""

    def __init__(self, field: str, said: str) -> None:
        self.field = field
        super().__init__(said)


def pair_device(person: User, kit: Kit, address: str, token: str) -> Device:
    """Ask who is there, and keep it. **Raises** PermissionDenied, PairingError."""
    demand(allowed=may_work(person))
    bare = _bare(address.strip())
    identity = _who_is_there(bare, token.strip())
    if identity.data["kit"] != kit.code and identity.data["kind"] not in ACCESSORIES:
        raise PairingError("address", f"That device belongs to a kit of another kind: {identity.data['name']}.")
    with transaction.atomic():
        known = Device.objects.filter(kit=kit, identity__id=identity.data["id"]).first()
        device = known or Device(kit=kit)
        device.name, device.address, device.token = identity.data["name"], bare, token.strip()
        device.identity, device.unpaired, device.last_event = identity.data, False, None
        device.save()
        want(do="pair")
    return device


def _bare(address: str) -> str:
    """An address without a path. **Raises** PairingError for what is none."""
    try:
        parts = urlsplit(address)
        good = parts.scheme in ("http", "https") and parts.hostname and not parts.query and parts.path in ("", "/")
    except ValueError:
        good = False
    if not good:
        raise PairingError("address", "Expected an address such as http://192.168.4.20:8080, as the device shows it.")
    return f"{parts.scheme}://{parts.netloc}"


_NO_DEVICE = "What answers there is no device that speaks the open device feed."


def _who_is_there(address: str, token: str) -> Identity:
    try:
        answer = httpx.get(f"{address}/device", headers={"Authorization": f"Bearer {token}"}, timeout=3.0)
    except (httpx.HTTPError, UnicodeEncodeError, httpx.InvalidURL) as error:
        said = "Nothing answers there. Look at the address on the device, and whether it is on this network."
        raise PairingError("address", said) from error
    if answer.status_code == httpx.codes.UNAUTHORIZED:
        raise PairingError("token", "The device does not accept this token. It is on its label or its own screen.")
    if answer.status_code != httpx.codes.OK or len(answer.content) > _MOST_BYTES:
        raise PairingError("address", _NO_DEVICE)
    try:
        data = answer.json()
    except ValueError as error:
        raise PairingError("address", _NO_DEVICE) from error
    try:
        return Identity.read(data, dt.datetime.now(dt.UTC))
    except ValueError as error:
        raise PairingError("address", str(error)) from error


_MOST_BYTES = 100_000


def part_with_device(person: User, device: Device) -> None:
    """Nothing is taken from it any more. **Raises** PermissionDenied."""
    demand(allowed=may_work(person))
    with transaction.atomic():
        device.unpaired, device.connected = True, False
        device.save()
        want(do="pair")


def ask_device(person: User, device: Device, do: str, visit: str = "") -> None:
    """Ask one of ``ASKS`` of a device, for a ``visit`` or for none. **Raises** PermissionDenied, ValueError."""
    demand(allowed=may_work(person))
    if do not in ASKS:
        raise ValueError("A device is asked for one of the things that its page offers.")
    want(device=str(device.pk), do=do, visit=visit)
