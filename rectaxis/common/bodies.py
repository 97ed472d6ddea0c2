"""How much of a request is taken, and how long it is waited for: before anything of it is written to disk."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[MutableMapping[str, Any], Receive, Send], Awaitable[None]]

MOST_UNKNOWN, MOST = 200_000, 30_000_000
"""Bytes of a request by somebody who is not known to be signed in, and of any other: a photo has at most 25 MB."""
SLOWEST_S, LONGEST_S = 30.0, 300.0
"""How long the next piece, and all of it, is waited for."""
AWAY_S = 2.0
"""How long what is refused is still read, and not kept."""
_TOO_LARGE = (413, b"This is larger than anything that is taken here. A photo has at most 25 MB, a list 8 MB.")
_TOO_SLOW = (408, b"What was sent did not arrive in time. Send it again.")


class LimitedBodies:
    """An application whose requests have bodies of limited size, which arrive in limited time.

    ``most_for`` answers how many bytes a path takes of somebody who sends a cookie of a session; it may ask the database.
    """

    def __init__(self, application: Application, most_for: Callable[[str, str], Awaitable[int]]) -> None:
        self.application, self.most_for = application, most_for

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        """Answer the request, or refuse its body."""
        headers = dict(scope.get("headers", ()))
        if scope["type"] != "http" or not (
            b"transfer-encoding" in headers or headers.get(b"content-length", b"0") != b"0"
        ):
            return await self.application(scope, receive, send)
        most = await self.most_for(scope["path"], headers.get(b"cookie", b"").decode("latin-1"))
        said = headers.get(b"content-length", b"")
        if said.isdigit() and int(said) > most:
            return await _refuse(receive, send, *_TOO_LARGE)
        body = _Body(receive, most)
        answered = False

        async def watched(message: Message) -> None:
            nonlocal answered
            if body.refused is None:
                answered = True
                await send(message)

        await self.application(scope, body, watched)
        if body.refused is not None and not answered:
            await _refuse(receive, send, *body.refused)
        return None


class _Body:
    """What is received, until it is too much or too slow: then it is as if the browser had gone away."""

    def __init__(self, receive: Receive, most: int) -> None:
        self.receive, self.most, self.came, self.whole = receive, most, 0, False
        self.refused: tuple[int, bytes] | None = None
        self.until = time.monotonic() + LONGEST_S

    async def __call__(self) -> Message:
        if self.whole:
            return await self.receive()
        try:
            message = await asyncio.wait_for(self.receive(), min(SLOWEST_S, max(0.0, self.until - time.monotonic())))
        except TimeoutError:
            self.refused, self.whole = _TOO_SLOW, True
            return {"type": "http.disconnect"}
        self.came += len(message.get("body", b""))
        self.whole = not message.get("more_body", False)
        if self.came > self.most:
            self.refused, self.whole = _TOO_LARGE, True
            return {"type": "http.disconnect"}
        return message


async def _refuse(receive: Receive, send: Send, status: int, words: bytes) -> None:
    """Answer, then read away what is on its way: who still sends when the connection ends may never read the answer."""
    headers = [
        (b"content-type", b"text/plain; charset=utf-8"),
        (b"connection", b"close"),
        (b"content-length", str(len(words)).encode()),
    ]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": words, "more_body": True})
    await _read_away(receive)
    await send({"type": "http.response.body", "body": b""})


async def _read_away(receive: Receive) -> None:
    until, came = time.monotonic() + AWAY_S, 0
    while came < MOST and (left := until - time.monotonic()) > 0:
        try:
            message = await asyncio.wait_for(receive(), left)
        except TimeoutError:
            return
        came += len(message.get("body", b""))
        if message["type"] != "http.request" or not message.get("more_body", False):
            return
