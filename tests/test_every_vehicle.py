"""Trailers read as the program says, by keyboard and with fingers alone, ending in the numbers that are true."""

from rectaxis.record.models import Job, Seal
from rectaxis.record.slot import Phase
from rectaxis.visit.visit import Visit
from tests.browser import BrowserTestCase, Far, expect
from tests.technician import Technician


class Journeys(BrowserTestCase):
    def technician(self, unit: str, page: Far | None = None) -> Technician:
        page = page or self.signed_in()
        page.locator(f".timeline a:has-text('{unit}')").focus()
        page.keyboard.press("Enter")
        page.wait_for_selector(".rail a[aria-current]")
        return Technician(page, Job.objects.get(vehicle__unit=unit))

    def prepare(self, at: Technician, *, look: bool = False) -> None:
        for stage in ("arrive", "look", "rig"):
            at.go(stage)
            at.answer(stage)
            if look:
                self.assert_accessible(at.page)
        at.go("roll")

    def assert_true(self, job: Job, phase: str = "before", least: int = 1) -> None:
        """What was sealed lies within four standard uncertainties of the hidden truth, wherever the kit can tell."""
        results = Visit(job).results(phase)
        compared = 0
        for path, estimate in results.estimates.items():
            truth = job.simulation["truth"].get(path)
            if estimate is not None and truth is not None and estimate.u > 0:
                self.assertLess(abs(estimate.value - truth), 4 * estimate.u, path)
                compared += 1
        self.assertGreaterEqual(compared, least)

    def seal_before(self, at: Technician) -> None:
        at.go("judge")
        self.assert_accessible(at.page)
        at.press(at.page.locator("button:has-text('Save the before')"))
        expect(at.page.locator(".notice")).to_contain_text("The before is saved and sealed.")

    def test_a_trailer_with_tape_and_straightedge_by_keyboard(self):
        at = self.technician("Trailer 5")
        self.prepare(at)
        expect(at.page.locator("main")).to_contain_text("Nothing of this kit turns with a wheel")
        at.answer("roll")
        at.go("read")
        self.assertEqual(at.page.locator("#gates .gate").all_inner_texts(), [])
        at.open_tab(0)
        self.read_as_told(at)
        self.seal_before(at)
        self.assert_true(at.job, least=15)

    def read_as_told(self, at: Technician) -> None:
        """Reads what the program says to read next, until something is solved; the rest in the order of the walk."""
        for _ in range(8):
            at.press(at.page.locator("button:has-text('What should I read next?')"))
            go = at.page.locator("#next [data-go-to], #next a").first
            expect(go).to_be_visible()
            slot = go.get_attribute("data-go-to")
            at.press(go)
            if slot is None:
                at.page.wait_for_selector("[data-saved][data-ready]")
                continue
            self.assertEqual(at.page.evaluate("document.activeElement.dataset.slot"), slot)
            at.page.keyboard.type(at.shown("", [slot])[slot])
            at.page.keyboard.press("Enter")
            at.saved()
        solved = [
            path for path, estimate in Visit(at.job).results(Phase.BEFORE).estimates.items() if estimate is not None
        ]
        self.assertTrue([path for path in solved if "bearing" in path or "total_toe" in path])
        for number in range(3):
            at.open_tab(number)
            at.walk()


class ByTouch(BrowserTestCase):
    size = (1180, 820)

    def test_a_trailer_is_read_with_fingers_alone_on_the_pad(self):
        page = self.signed_in(context=self.context(has_touch=True, is_mobile=True))
        page.locator(".timeline a:has-text('Trailer 5')").tap()
        page.locator(".rail [data-stage='read']").tap()
        job = Job.objects.get(vehicle__unit="Trailer 5")
        at = Technician(page, job)
        for number in range(3):
            page.locator(".setups nav a").nth(number).tap()
            page.wait_for_selector(f".setups nav a:nth-of-type({number + 1})[aria-current]")
            page.wait_for_selector("[data-saved][data-ready]")
            expect(page.locator(".pad")).to_be_visible()
            self.tap_in_all(at)
        page.locator(".rail [data-stage='judge']").tap()
        page.locator("button:has-text('Save the before')").tap()
        expect(page.locator(".notice")).to_contain_text("The before is saved and sealed.")
        self.assertEqual(Seal.objects.filter(job=job).count(), 1)
        results = Visit(job).results(Phase.BEFORE)
        for path, truth in job.simulation["truth"].items():
            estimate = results.estimates.get(path)
            if estimate is not None and estimate.u > 0:
                self.assertLess(abs(estimate.value - truth), 4 * estimate.u, path)
        too_small = page.evaluate("""[...document.querySelectorAll('.rail a, .go, .plain, .choice')]
            .filter(e => e.offsetParent && e.getBoundingClientRect().height < 44).map(e => e.textContent.trim())""")
        self.assertEqual(too_small, [])

    def tap_in_all(self, at: Technician) -> None:
        page = at.page
        shown = at.shown("", page.locator("[data-walkable]").evaluate_all("fields => fields.map(f => f.dataset.slot)"))
        page.locator("[data-walkable]").first.tap()
        for _ in shown:
            slot = page.locator("[data-hand-input]").get_attribute("data-slot")
            for char in shown[slot]:
                page.locator(f".pad [data-char='{'sign' if char == '-' else char}']").tap()
            page.locator(".pad [data-char='enter']").tap()
        at.saved()
