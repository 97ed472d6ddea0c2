"""A second screen, in the driver's seat: what to do now, without signing in."""

from tests.browser import expect
from tests.devices import HeadsTestCase
from tests.test_live import TRUTH


class SecondScreen(HeadsTestCase):
    allowed_noise = ("net::ERR", "Failed to load resource")

    def test_a_second_screen_is_opened_by_a_code_once_and_shows_what_to_do(self):
        standin, _ = self.device(self.job, self.heads, TRUTH)
        page = self.signed_in(at=f"/jobs/{self.job.pk}/roll/")
        page.uncheck("[data-guide-take]")
        page.click("button:has-text('Show it on a second screen')")
        code = page.locator(".sign-code .code").inner_text()
        seat = self.page()
        seat.goto("/sign/")
        seat.fill("#code", "ZZZZZZ")
        seat.click("button.go")
        expect(seat.locator(".refusal")).to_contain_text("opens nothing")
        self.assertEqual(seat.input_value("#code"), "ZZZZZZ")
        seat.fill("#code", code.lower())
        seat.click("button.go")
        expect(seat.locator("[data-text]")).to_contain_text("Hold it still")
        standin.do("roll", deg=-40)
        expect(seat.locator("[data-by]")).to_have_text("40°")
        expect(seat.locator("[data-text]")).to_contain_text("forward, 40° more")
        # Angles are told at the same time and do not take its place: not for one moment of two seconds.
        shown = """() => new Promise(done => { let hidden = true; const strips = document.querySelector('[data-strips]');
            const watch = new MutationObserver(() => { hidden &&= strips.hidden; });
            watch.observe(strips, { attributes: true }); setTimeout(() => done(hidden && strips.hidden), 2000); })"""
        self.assertTrue(seat.evaluate(shown))
        self.assert_accessible(seat)
        page.goto(f"/jobs/{self.job.pk}/read/")
        expect(seat.locator("[data-strips] dt").first).to_contain_text("axle")
        other = self.page()
        other.goto("/sign/")
        other.fill("#code", code)
        other.click("button.go")
        expect(other.locator(".refusal")).to_contain_text("opens nothing")
        self.assertEqual(other.goto("/sign/guessed/").status, 404)
