"""Whether a device speaks the open feed: what a maker of hardware runs against it. Prints what was asked, and what is wrong."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator
from typing import Any

import httpx
from httpx_sse import connect_sse

from alignment.live.measures import Measured

KNOWN = ("reading", "picture", "state", "moved", "lost", "back", "done")
_LISTENS_S, _MOST_LATE_S = 4.0, 1.0


def check(url: str, token: str, say: Callable[[str], None] = print) -> int:
    """Ask all that the feed has; 0 where it is as docs/devicefeed.md says, else 1."""
    wrong = 0
    with httpx.Client(base_url=url, timeout=5.0, headers={"Authorization": f"Bearer {token}"}) as client:
        for name, faults in (
            ("identity", _identity), ("a wrong token is refused", _wrong_token), ("events", _events),
            ("events after a number", _resumed), ("commands", _commands),
        ):  # fmt: skip
            try:
                found = list(faults(client))
            except (httpx.HTTPError, ValueError) as error:
                found = [f"{type(error).__name__}: {error}"]
            say(f"{name}: {'as described' if not found else '; '.join(found)}")
            wrong += bool(found)
    return int(wrong > 0)


def _identity(client: httpx.Client) -> Iterator[str]:
    answer = client.get("/device")
    if answer.status_code != httpx.codes.OK:
        yield f"expected 200, got {answer.status_code}"
        return
    data = answer.json()
    for key, kind in (("id", str), ("kind", str), ("kit", str), ("serial", str), ("clock", str), ("wheels", list)):
        if not isinstance(data.get(key), kind):
            yield f"{key}: expected a {'text' if kind is str else 'list'}"
    if (data.get("format"), data.get("version")) != ("rectaxis-device", 1):
        yield 'expected "format": "rectaxis-device", "version": 1'


def _wrong_token(client: httpx.Client) -> Iterator[str]:
    answer = client.get("/device", headers={"Authorization": "Bearer no"})
    if answer.status_code != httpx.codes.UNAUTHORIZED:
        yield f"expected 401, got {answer.status_code}"


def _heard(client: httpx.Client, last: str = "", most: int = 12) -> list[tuple[int, str, dict[str, Any]]]:
    found: list[tuple[int, str, dict[str, Any]]] = []
    until = time.monotonic() + _LISTENS_S
    headers = {"Last-Event-ID": last} if last else {}
    with connect_sse(client, "GET", "/events", headers=headers) as source:
        for event in source.iter_sse():
            if not event.id.isdecimal():
                raise ValueError(f"an event without a number: {event.event}")
            found.append((int(event.id), event.event, json.loads(event.data)))
            if time.monotonic() > until or len(found) >= most:
                break
    return found


def _events(client: httpx.Client) -> Iterator[str]:
    began = time.monotonic()
    heard = _heard(client)
    if not heard:
        yield "nothing was said"
        return
    if time.monotonic() - began > len(heard) * _MOST_LATE_S:
        yield "less than one event a second"
    numbers = [number for number, _, _ in heard]
    if numbers != sorted(set(numbers)):
        yield "numbers of events do not grow"
    for _, event, data in heard:
        if event not in KNOWN:
            yield f"{event} is not known: it will be passed over"
        if "time" not in data:
            yield f"{event}: time is missing"
        for one in data.get("measured", []) if event == "reading" else []:
            try:
                Measured.read(one)
            except ValueError as error:
                yield f"reading: {error}"


def _resumed(client: httpx.Client) -> Iterator[str]:
    first = _heard(client, most=3)
    again = _heard(client, last=str(first[0][0]), most=2)
    if [number for number, _, _ in again] != [number for number, _, _ in first[1:3]]:
        yield f"asked for what came after {first[0][0]}, got {[number for number, _, _ in again]}"


def _commands(client: httpx.Client) -> Iterator[str]:
    answer = client.post("/commands", json={"do": "identify"})
    if answer.status_code >= httpx.codes.BAD_REQUEST:
        yield f"identify: expected to be taken, got {answer.status_code}"
    if client.post("/commands", json={"do": "dance"}).status_code < httpx.codes.BAD_REQUEST:
        yield "an unknown command is taken"
