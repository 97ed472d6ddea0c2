"""A real browser under Django's test runner.

Playwright's synchronous interface leaves an event loop in its thread, where Django's ORM refuses to work. So it lives
in a thread of its own; ``Far`` stands for an object there and carries each call across.
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.staticfiles.handlers import StaticFilesHandler
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import call_command
from django.core.management.base import CommandError
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.test import Client

from rectaxis.demo.business import PASSWORD
from rectaxis.people.models import User
from rectaxis.record.models import Job
from tests.demo import put_out_the_demo

CHROMIUM = "/usr/bin/chromium-headless-shell"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--force-color-profile=srgb", "--font-render-hinting=none",
]  # fmt: skip
AXE = Path(__file__).parent / "vendor" / "axe" / "axe.min.js"
WATCH = "document.addEventListener('securitypolicyviolation', e => console.error('policy: ' + e.violatedDirective + ' ' + e.blockedURI))"

_calls: queue.Queue = queue.Queue()
_here: dict[str, Any] = {}


def _live() -> None:
    from playwright.sync_api import expect, sync_playwright

    with sync_playwright() as playwright:
        _here["browser"] = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        expect.set_options(timeout=45_000)
        _here["expect"] = expect
        while True:
            work, answer = _calls.get()
            try:
                answer.set_result(work())
            except BaseException as error:  # noqa: BLE001 - it is raised again where it was asked for
                answer.set_exception(error)


def _there(work: Any) -> Any:
    if "thread" not in _here:
        _here["thread"] = threading.Thread(target=_live, daemon=True)
        _here["thread"].start()
    answer: Future = Future()
    _calls.put((work, answer))
    return answer.result(timeout=90)


def _bare(value: Any) -> Any:
    if isinstance(value, Far):
        return value._target
    if isinstance(value, list | tuple):
        return type(value)(_bare(item) for item in value)
    return value


def _wrap(value: Any) -> Any:
    return value if value is None or isinstance(value, str | bytes | int | float | dict | Path) else Far(value)


class Far:
    """An object of the browser's thread."""

    def __init__(self, target: Any) -> None:
        self._target = target

    def __getattr__(self, name: str) -> Any:
        value = _there(lambda: getattr(self._target, name))
        return Far(value) if callable(value) else _wrap(value)

    def __call__(self, *words: Any, **named: Any) -> Any:
        words, named = _bare(words), {key: _bare(value) for key, value in named.items()}
        found = _there(lambda: self._target(*words, **named))
        return [_wrap(item) for item in found] if isinstance(found, list) else _wrap(found)


def expect(subject: Far) -> Far:
    """Playwright's expectations, which wait."""
    return Far(_there(lambda: _here["expect"](subject._target)))


class KeptFiles(StaticFilesHandler):
    """Static files that a browser keeps, as it keeps those of an installation: their names change with what is in them there."""

    def serve(self, request: HttpRequest) -> HttpResponseBase:
        """The file."""
        answer = super().serve(request)
        answer["Cache-Control"] = "max-age=3600"
        return answer


class BrowserTestCase(StaticLiveServerTestCase):
    """The demo's data, a page for each person, and no error in the console or against the policy."""

    static_handler = KeptFiles

    size = (1280, 800)
    allowed_noise: tuple[str, ...] = ()
    demo = True

    def setUp(self):
        if self.demo:
            put_out_the_demo()
        self.noise: list[str] = []
        self.contexts: list[Far] = []

    def tearDown(self):
        for context in self.contexts:
            context.close()
        noise = [line for line in self.noise if not any(words in line for words in self.allowed_noise)]
        self.assertEqual(noise, [], "the browser's console must stay clean")

    def _fixture_teardown(self) -> None:
        # A request under way when its browser closed may hold what emptying the database waits for.
        for _ in range(5):
            try:
                return self._empty_the_database()
            except CommandError:
                time.sleep(0.5)
        return self._empty_the_database()

    @staticmethod
    def _empty_the_database() -> None:
        # What Django would make again for each test, its content types and permissions, is used nowhere here.
        call_command("flush", verbosity=0, interactive=False, reset_sequences=False, inhibit_post_migrate=True)

    def context(self, **options: Any) -> Far:
        """A browser of its own: cookies and store apart."""
        browser = Far(_there(lambda: _here["browser"]))
        made = browser.new_context(
            viewport={"width": self.size[0], "height": self.size[1]}, reduced_motion="reduce", timezone_id="UTC",
            locale="en-GB", base_url=self.live_server_url, accept_downloads=True, **options,
        )  # fmt: skip
        made.add_init_script(WATCH)
        self.contexts.append(made)
        return made

    def page(self, context: Far | None = None) -> Far:
        """A page whose console is watched."""
        page = (context or self.context()).new_page()
        page.set_default_timeout(45_000)
        listen = self.noise.append
        page.on("console", lambda m: listen(f"{m.type}: {m.text}") if m.type in ("error", "warning") else None)
        page.on("pageerror", lambda error: listen(f"page error: {error}"))
        return page

    def sign_in(self, name: str = "mara", context: Far | None = None) -> Far:
        """A page on which a person has signed in by the form."""
        page = self.page(context)
        page.goto("/sign-in/")
        page.fill("#id_login", name)
        page.fill("#id_password", PASSWORD)
        page.click("button.go")
        page.wait_for_url(lambda url: "sign-in" not in url)
        return page

    def signed_in(self, name: str = "mara", context: Far | None = None, at: str | None = "/") -> Far:
        """A page at an address, or nowhere yet where None, of a person who signed in before: most tests are not about the form."""
        context = context or self.context()
        client = Client()
        client.force_login(User.objects.get(username=name))
        held = client.cookies[settings.SESSION_COOKIE_NAME]
        context.add_cookies([{"name": held.key, "value": held.value, "url": self.live_server_url}])
        page = self.page(context)
        if at is not None:
            page.goto(at)
        return page

    def at_stage(self, unit: str, stage: str, **who: Any) -> Far:
        """A page at a stage of the only visit to a vehicle, ``who`` as for ``signed_in``."""
        return self.signed_in(at=f"/jobs/{Job.objects.get(vehicle__unit=unit).pk}/{stage}/", **who)

    def wait_for(self, condition: Callable[[], bool]) -> None:
        """Wait until something holds in the database."""
        until = time.monotonic() + 45
        while not condition():
            self.assertLess(time.monotonic(), until, "waited in vain")
            time.sleep(0.05)

    def assert_accessible(self, page: Far, *, rules: Sequence[str] = ()) -> None:
        """No serious or critical fault found by axe-core: by all its rules, or some."""
        page.evaluate(AXE.read_text() + "; null")
        only = {"runOnly": list(rules)} if rules else {}
        found = page.evaluate("how => axe.run(document, how)", {"resultTypes": ["violations"], **only})
        faults = [
            f"{v['id']}: {v['help']}: {v['nodes'][0]['html'][:160]}"
            for v in found["violations"]
            if v["impact"] in ("serious", "critical")
        ]
        self.assertEqual(faults, [], page.url)
