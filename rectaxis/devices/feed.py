"""What comes from a device, read with suspicion: a message is understood, passed over, or bad with a reason."""

from __future__ import annotations

import datetime as dt
import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from alignment.errors import JobFileError
from alignment.live.measures import MOST_AXLES, Measured
from alignment.model.vehicle import SIDES

MOST_BYTES = 262_144
MOST_MEASURED = 400
KNOWN = ("reading", "state", "moved", "lost", "back", "done", "picture")
_NOT_GOOD = "poor"


@dataclass
class Heard:
    """One event: when, by the device's clock; what it measured; the parts of its state; what moved, was lost or came back.
    ``bad`` says what of it meant nothing.
    """

    event: str
    at: dt.datetime | None = None
    poor: bool = False
    measured: list[Measured] = field(default_factory=list)
    state: dict[str, Any] = field(default_factory=dict)
    what: str = ""
    said: str = ""
    ok: bool = False
    picture: tuple[str, str, str] | None = None
    """The shot that it is of, the camera, and its name on the device."""
    bad: list[str] = field(default_factory=list)


def read_event(event: str, text: str) -> Heard | None:
    """What an event says; None for one that is not known, which is passed over."""
    if event not in KNOWN:
        return None
    heard = Heard(event)
    if len(text) > MOST_BYTES:
        heard.bad.append(f"a message of {len(text)} characters; expected at most {MOST_BYTES}")
        return heard
    try:
        data = json.loads(text)
    except (ValueError, RecursionError):
        data = None
    if not isinstance(data, dict):
        heard.bad.append(f"{event}: expected a JSON object")
        return heard
    heard.at = _time(data.get("time"))
    heard.poor = data.get("quality") == _NOT_GOOD
    if heard.at is None:
        heard.bad.append(f"{event}: time: expected a time such as 2027-03-31T10:15:00Z")
        return heard
    match event:
        case "reading":
            _read_measured(heard, data.get("measured"))
        case "state":
            heard.state = _state(data)
        case "picture":
            shot, camera, name = (_text(data.get(key)) for key in ("shot", "camera", "name"))
            if shot and camera and _NAME.fullmatch(name):
                heard.picture = shot, camera, name
            else:
                heard.bad.append("picture: expected a shot, a camera and a name of letters, digits, - and .")
        case _:
            heard.what, heard.said = _text(data.get("what", data.get("do"))), _text(data.get("said"))
            heard.ok = data.get("ok") is True
    return heard


def _read_measured(heard: Heard, value: object) -> None:
    if not isinstance(value, list) or len(value) > MOST_MEASURED:
        heard.bad.append(f"reading: measured: expected a list of at most {MOST_MEASURED}")
        return
    for one in value:
        try:
            heard.measured.append(Measured.read(one if isinstance(one, Mapping) else {}))
        except ValueError as error:
            heard.bad.append(f"reading: {error}")


def _time(value: object) -> dt.datetime | None:
    """A time with its zone; None for anything else."""
    if not isinstance(value, str) or len(value) > _LONGEST_TIME:
        return None
    try:
        found = dt.datetime.fromisoformat(value)
        return found.astimezone(dt.UTC) if found.tzinfo else None
    except (ValueError, OverflowError):
        return None


_NAME = re.compile(r"\w[\w.-]*")
_LONGEST_TIME, _LONGEST_TEXT = 40, 120
_SHARES = ("battery", "radio")
_WHEELS = ("blocked", "not_level", "dirty")
_MOST_WHEELS = 80
_MOST_HOURS, _MOST_DEGREES_C = 1000.0, 200.0


def _state(data: Mapping[str, Any]) -> dict[str, Any]:
    """The parts of a state that are what they should be; the rest is passed over."""
    found: dict[str, Any] = {}
    for name, low, high in (*((share, 0.0, 1.0) for share in _SHARES), ("hours_left", 0.0, _MOST_HOURS),
                            ("temperature_c", -_MOST_DEGREES_C, _MOST_DEGREES_C)):  # fmt: skip
        value = data.get(name)
        if isinstance(value, int | float) and not isinstance(value, bool) and low <= value <= high:
            found[name] = float(value)
    for name in _WHEELS:
        wheels = data.get(name)
        if isinstance(wheels, list):
            found[name] = [wheel for one in wheels[:_MOST_WHEELS] if (wheel := _wheel(one)) is not None]
    if "wheels" in data:
        found["serials"] = read_serials(data["wheels"])
    return found


def read_serials(value: object) -> dict[tuple[int, str], str]:
    """Which head, target or camera is on which wheel, by its serial number, as far as it is said."""
    found = {}
    for one in value[:_MOST_WHEELS] if isinstance(value, list) else ():
        wheel, serial = _wheel(one), _text(one.get("serial")) if isinstance(one, dict) else ""
        if wheel is not None and serial:
            found[wheel] = serial
    return found


def _wheel(value: object) -> tuple[int, str] | None:
    if not isinstance(value, dict):
        return None
    axle, side = value.get("axle"), value.get("side")
    good = isinstance(axle, int) and not isinstance(axle, bool) and 1 <= axle <= MOST_AXLES and side in SIDES
    return (axle, side) if good and isinstance(axle, int) and isinstance(side, str) else None


def _text(value: object) -> str:
    return "".join(c for c in value if c.isprintable())[:_LONGEST_TEXT] if isinstance(value, str) else ""


ACCESSORIES = ("probe", "sensor_reset")
"""Kinds of device that go with any kit."""


@dataclass(frozen=True)
class Identity:
    """What a device says of itself; ``off_s`` is by how much its clock is ahead of ours."""

    data: dict[str, Any]
    off_s: float

    @classmethod
    def read(cls, data: object, now: dt.datetime) -> Identity:
        """**Raises** ValueError with a sentence for a person."""
        if not isinstance(data, dict) or data.get("format") != "rectaxis-device":
            raise ValueError("What answers there is no device that speaks the open device feed.")
        if data.get("version") != 1:
            raise ValueError(
                f"The device speaks version {_text(str(data.get('version')))} of the feed; expected version 1."
            )
        for key in ("id", "kind", "kit", "serial"):
            if not isinstance(data.get(key), str) or not data[key] or len(data[key]) > _LONGEST_TEXT:
                raise ValueError(f"The device does not say its {key}.")
        clock = _time(data.get("clock"))
        if clock is None:
            raise ValueError("The device does not say what time its clock has.")
        kept = {key: _text(data[key]) for key in ("id", "kind", "kit", "serial")}
        kept["name"] = _text(data.get("name")) or kept["serial"]
        serials = read_serials(data.get("wheels"))
        kept["wheels"] = [{"axle": axle, "side": side, "serial": text} for (axle, side), text in serials.items()]  # type: ignore[assignment]
        certificate = data.get("certificate")
        if isinstance(certificate, dict):
            kept["certificate"] = {key: _text(certificate.get(key)) for key in ("until", "by")}  # type: ignore[assignment]
        if kept["kind"] == "cameras":
            kept["rig"] = _rig(data)  # type: ignore[assignment]
        return cls(kept, (clock - now).total_seconds())


def _rig(data: Mapping[str, Any]) -> dict[str, Any]:
    """What cameras say of themselves and of their targets. **Raises** ValueError with the first fault."""
    from alignment.camera.shots import OF_RIG, setup_of

    rig = {key: data[key] for key in OF_RIG if key in data}
    try:
        setup = setup_of(rig)
    except JobFileError as error:
        fault = error.faults[0]
        raise ValueError(
            f"What the cameras say of themselves cannot be used: {fault.pointer}: {fault.message}"
        ) from None
    for camera in setup.cameras:
        if camera.size[0] * camera.size[1] > _MOST_PIXELS:
            raise ValueError(
                f"Camera {camera.id} claims {camera.size[0]} x {camera.size[1]} pixels; at most {_MOST_PIXELS // 10**6} million are taken."
            )
    return rig


_MOST_PIXELS = 60_000_000
"""Of one picture: each becomes so many bytes before anything is found in it."""
