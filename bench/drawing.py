"""The drawing in a real browser: frames while a beam is dragged on six axles, and what the first load weighs."""

from __future__ import annotations

import gzip
import statistics
import time
from collections.abc import Callable
from urllib.parse import urlsplit

from django.utils import timezone

from alignment.patterns import pattern
from rectaxis.demo.business import put_behind, random_simulation
from rectaxis.demo.doing import look_over, read_all
from rectaxis.fleets.forms import layout_of_pattern
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.visit.actions.open_job import open_job
from tests.browser import BrowserTestCase, Far

_FRAMES = """() => { window.frames_ = []; let last = performance.now();
  const step = (now) => { window.frames_.push(now - last); last = now; window.counting_ = requestAnimationFrame(step); };
  window.counting_ = requestAnimationFrame(step); }"""
_STOP = "() => { cancelAnimationFrame(window.counting_); return window.frames_.slice(2); }"
_MOVES, _SLOWER = 240, 4
_MOST_KB = 300


def six_axles() -> Vehicle:
    """A made-up rigid with six axles: two steered in front, four behind."""
    layout = layout_of_pattern(pattern("truck_10x2"))
    axles = layout["vehicle"]["axles"]
    layout["vehicle"]["axles"] = [*axles, {**axles[-1], "position_mm": axles[-1]["position_mm"] + 1350}]
    return Vehicle.objects.create(fleet=Fleet.objects.get(name="Stack Timber"), unit="Long 6", layout=layout)


class Drawing(BrowserTestCase):
    """Prints; nothing is asserted of absolute times."""

    def test_drawing(self) -> None:
        person = User.objects.get(username="mara")
        kit = Kit.objects.get(code="flag_lasers")
        job = open_job(person, six_axles(), kit, timezone.now())
        put_behind(job, random_simulation(job.vehicle, kit, 6))
        look_over(person, job)
        read_all(person, job, "before")
        page = self.sign_in()
        page.goto("/preferences/")
        still = self.frames(page, lambda: page.wait_for_timeout(2000))
        page.goto(f"/jobs/{job.pk}/read/?setup=1")
        page.wait_for_selector("[data-saved][data-ready]")
        grip = page.locator("[data-ruler*='outboard_pair'] [data-grip]").first.bounding_box()
        x, y = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2

        def drag() -> None:
            page.mouse.move(x, y)
            page.mouse.down()
            for move in range(_MOVES):
                page.mouse.move(x, y + 25 * (1 if move % 40 < 20 else -1) * (move % 20) / 20)
            page.mouse.up()

        dragged = self.frames(page, drag)
        print(f"dragging a beam on six axles, {len(page.locator('[data-ruler]').all())} scales: "
              f"{self.say(dragged)}; an empty page in the same run: {self.say(still)}")  # fmt: skip
        self.slowed(page, job, drag)
        self.weigh(job)

    def slowed(self, page: Far, job: Job, drag: Callable[[], object]) -> None:
        """The same on a machine that is four times slower, as a tablet is; and how long the page takes there once it has all files."""
        page.context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": _SLOWER})
        print(f"the same, {_SLOWER} times slower: {self.say(self.frames(page, drag))}")
        times = []
        for _ in range(5):
            started = time.perf_counter()
            page.goto(f"/jobs/{job.pk}/read/?setup=1")
            page.wait_for_selector("[data-saved][data-ready]")
            times.append(time.perf_counter() - started)
        print(f"ready to be typed in, there, its files kept: {statistics.median(times):.2f} s (aim: 2)")

    @staticmethod
    def frames(page: Far, work: Callable[[], object]) -> list[float]:
        """Milliseconds between frames while ``work`` is done."""
        page.evaluate(_FRAMES)
        work()
        return list(page.evaluate(_STOP))

    @staticmethod
    def say(frames: list[float]) -> str:
        middle = statistics.median(frames)
        late = sum(1 for frame in frames if frame > 1.5 * 1000 / 60)
        return f"{1000 / middle:.0f} frames a second (median), {late} of {len(frames)} late"

    def weigh(self, job: Job) -> None:
        """The first load of the job page in a browser that has nothing of it yet, each answer as gzip makes it."""
        page, weights, elsewhere = self.sign_in(), {}, set()
        cookies = page.context.cookies()
        fresh = self.context()
        fresh.add_cookies(cookies)
        page = self.page(fresh)
        home = urlsplit(self.live_server_url).netloc
        answers: list[Far] = []

        def keep(
            answer: Far,
        ) -> None:  # the browser's library marks its listener, which a built-in method does not take
            answers.append(answer)

        page.on("response", keep)
        page.goto(f"/jobs/{job.pk}/read/")
        page.wait_for_load_state("networkidle")
        for answer in answers:
            address = urlsplit(answer.url)
            if address.scheme in ("data", "blob"):
                continue
            if address.netloc != home:
                elsewhere.add(address.netloc)
            body = Far(answer).body()
            packed = body if address.path.endswith((".woff2", ".jpg")) else gzip.compress(body, 6)
            weights[address.path] = min(len(body), len(packed))
        total = sum(weights.values()) / 1000
        print(f"first load of the job page: {total:.0f} kB compressed (aim: under {_MOST_KB}), {len(weights)} answers, "
              f"requests to anywhere else: {', '.join(sorted(elsewhere)) or 'none'}")  # fmt: skip
        for path, size in sorted(weights.items(), key=lambda item: -item[1])[:6]:
            print(f"  {size / 1000:.0f} kB {path.rsplit('/', 1)[-1] or 'the page itself'}")


def report() -> None:
    """Print the measurements. Called with Django set up and a test database made."""
    import unittest

    unittest.TextTestRunner(verbosity=0).run(unittest.defaultTestLoader.loadTestsFromTestCase(Drawing))
