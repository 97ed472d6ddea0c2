"""A mailbox for everybody: a real SMTP server that keeps what it is given, and a page on which the letters are read.

It can be told to be away, to refuse, to ask that one comes back, or to hang up in the middle: as mail servers do.
"""

from __future__ import annotations

import asyncio
import email
import email.policy
import html
from collections import deque
from email.message import EmailMessage
from typing import Any

from aiosmtpd.smtp import SMTP, Envelope, Session
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

MOST_LETTERS = 500
MOODS = {
    "good": "takes every letter", "greylisting": "asks that one comes back, the first time", "refusing": "refuses every letter",
    "hanging-up": "hangs up once it has the letter", "slow": "takes five seconds for a letter",
}  # fmt: skip
_SLOW_S = 5.0


class Mailbox:
    """What came. ``mood`` is one of MOODS."""

    def __init__(self) -> None:
        self.letters: deque[EmailMessage] = deque(maxlen=MOST_LETTERS)
        self.mood = "good"
        self._seen: set[str] = set()

    async def handle_DATA(self, server: SMTP, _session: Session, envelope: Envelope) -> str:  # noqa: N802 - its caller names it
        """Take a letter, or not, and answer as a mail server does."""
        raw = envelope.content if isinstance(envelope.content, bytes) else str(envelope.content).encode()
        letter = email.message_from_bytes(raw, policy=email.policy.default)
        if self.mood == "refusing":
            return "550 no such mailbox here"
        if self.mood == "greylisting" and str(letter["Message-ID"]) not in self._seen:
            self._seen.add(str(letter["Message-ID"]))
            return "451 come back later"
        if self.mood == "slow":
            await asyncio.sleep(_SLOW_S)
        self.letters.appendleft(letter)
        if self.mood == "hanging-up":
            transport: Any = server.transport
            transport.abort()
        return "250 kept"


class Page:
    """The page on which letters are read and the server's mood is set."""

    def __init__(self, mailbox: Mailbox) -> None:
        self.mailbox = mailbox
        self.application = Starlette(
            routes=[
                Route("/", self.index), Route("/letters/{place:int}", self.read),
                Route("/letters/{place:int}/{part:int}", self.attached), Route("/mood", self.mood, methods=["POST"]),
            ]
        )  # fmt: skip

    async def index(self, _request: Request) -> Response:
        """All letters, newest first."""
        lines = "".join(
            f'<li><a href="/letters/{place}">{_safe(one["Subject"])}</a>, to {_safe(one["To"])}</li>'
            for place, one in enumerate(self.mailbox.letters)
        )
        moods = "".join(
            f'<option value="{code}"{" selected" if code == self.mailbox.mood else ""}>{words}</option>'
            for code, words in MOODS.items()
        )
        return _page(
            "Mailbox",
            "<p>A stand-in: every letter that the program sends arrives here, whoever it is for.</p>"
            f'<form method="post" action="/mood"><label>It <select name="mood">{moods}</select></label> <button>Change</button></form>'
            f"<ol>{lines}</ol>" + ("" if lines else "<p>Nothing came yet.</p>"),
        )

    async def read(self, request: Request) -> Response:
        """One letter."""
        letter = self._letter(request)
        if letter is None:
            return _page("Mailbox", "<p>That letter is not here.</p>", 404)
        body = letter.get_body(("plain",))
        text = body.get_content() if body is not None else ""
        files = "".join(
            f'<li><a href="{request.url.path}/{place}">{_safe(part.get_filename())}</a></li>'
            for place, part in enumerate(letter.iter_attachments())
        )
        return _page(
            str(letter["Subject"]),
            f'<p>From {_safe(letter["From"])} to {_safe(letter["To"])}</p><pre>{_safe(text)}</pre><ul>{files}</ul><p><a href="/">All letters</a></p>',
        )

    async def attached(self, request: Request) -> Response:
        """A file that came with a letter."""
        letter, place = self._letter(request), request.path_params["part"]
        parts = list(letter.iter_attachments()) if letter is not None else []
        if place >= len(parts):
            return _page("Mailbox", "<p>That file is not here.</p>", 404)
        return Response(parts[place].get_payload(decode=True), media_type=parts[place].get_content_type())

    async def mood(self, request: Request) -> Response:
        """Change how the server answers."""
        form = await request.form()
        wanted = str(form.get("mood"))
        self.mailbox.mood = wanted if wanted in MOODS else self.mailbox.mood
        return RedirectResponse("/", 303)

    def _letter(self, request: Request) -> EmailMessage | None:
        place = request.path_params["place"]
        return self.mailbox.letters[place] if place < len(self.mailbox.letters) else None


async def serving(mailbox: Mailbox, host: str, port: int) -> asyncio.Server:
    """The SMTP server, on the event loop that runs."""
    return await asyncio.get_running_loop().create_server(lambda: SMTP(mailbox), host, port)


def _safe(text: object) -> str:
    return html.escape(str(text or ""))


def _page(title: str, body: str, status: int = 200) -> HTMLResponse:
    head = f'<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>{_safe(title)}</title>'
    return HTMLResponse(f"{head}<body><h1>{_safe(title)}</h1>{body}", status)
