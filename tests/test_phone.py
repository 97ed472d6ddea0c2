"""A phone in one hand: nothing goes sideways, what is written can be read and pressed, and there is a way out."""

import json

from rectaxis.demo.doing import look_over, read_all
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.specs.models import Specification
from tests.browser import BrowserTestCase, expect

STAGES = ("arrive", "look", "rig", "roll", "read", "judge", "set", "prove", "hand-over")
SMALLEST_WORD_PX, FINGER_PX = 12, 48
"""What an eye at arm's length in the sun can read, and a gloved finger can meet (WCAG 2.5.5 has 44 CSS pixels)."""
_WORDS = """() => JSON.stringify([...document.querySelectorAll(".plan-fields text, .plan-solved text")].filter((text) => {
  const at = text.getBoundingClientRect(), plan = document.querySelector(".plan").getBoundingClientRect();
  return text.textContent.trim() && at.left >= plan.left && at.right <= plan.right && at.top >= plan.top && at.bottom <= plan.bottom;
}).map((text) => [text.textContent.trim(), parseFloat(getComputedStyle(text).fontSize) * text.getScreenCTM().a]))"""
_SMALL_WORDS = """(least) => JSON.stringify([...document.querySelectorAll("svg.plan-still text")]
  .filter((text) => getComputedStyle(text).display !== "none")
  .map((text) => [text.textContent.trim(), parseFloat(getComputedStyle(text).fontSize) * text.getScreenCTM().a])
  .filter(([, size]) => size < least))"""
SMALL_TARGETS = """(least) => JSON.stringify([...document.querySelectorAll("button, select, a.go, a.plain, .choice, input:not([type=hidden], [type=radio], [type=checkbox], [type=range])")]
  .filter((one) => one.offsetParent && !one.closest("svg, .visually-hidden, [hidden]"))
  .map((one) => [one.textContent.trim().slice(0, 30) || one.name || one.id, Math.round(one.getBoundingClientRect().height)])
  .filter(([, high]) => high && high < least))"""


_FAINT = """([least, kinds]) => {
  const parse = (text) => (text.match(/[\\d.]+/g) || []).map(Number);
  const light = ([r, g, b]) => [r, g, b].map((c) => c / 255).map((c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4))
    .reduce((sum, c, i) => sum + c * [0.2126, 0.7152, 0.0722][i], 0);
  const contrast = (one, other) => {
    const [dark, bright] = [light(one), light(other)].sort((a, b) => a - b);
    return (bright + 0.05) / (dark + 0.05);
  };
  const clear = (colour) => colour.length === 4 && colour[3] === 0;
  function behind(node) {
    const plate = node.closest(".head")?.querySelector("rect");
    if (plate && plate !== node) return [parse(getComputedStyle(plate).fill)];
    const floor = [...document.querySelectorAll(".plan .floor, .plan .body")].map((one) => parse(getComputedStyle(one).fill));
    const drawn = node.closest(".plan") ? floor.filter((colour) => colour.length >= 3 && !clear(colour)) : [];
    let at = node.closest("svg").parentElement;
    while (at && clear(parse(getComputedStyle(at).backgroundColor))) at = at.parentElement;
    return drawn.length ? drawn : [parse(getComputedStyle(at || document.body).backgroundColor)];
  }
  const found = [];
  for (const node of document.querySelectorAll(kinds)) {
    const style = getComputedStyle(node);
    if (style.display === "none" || !node.getClientRects().length) continue;
    const mine = parse(node.tagName === "text" ? style.fill : style.stroke);
    if (mine.length < 3 || clear(mine)) continue;
    for (const colour of behind(node)) {
      const ratio = contrast(mine, colour);
      if (ratio < least) found.push(`${node.getAttribute("class")} ${node.textContent.trim()} ${ratio.toFixed(2)}`);
    }
  }
  return JSON.stringify([...new Set(found)]);
}"""
"""What is drawn too faintly, by the contrast of WCAG 2.2 (its formula of relative luminance)."""
WORDS_CONTRAST, SHAPES_CONTRAST = 4.5, 3.0


class Phone(BrowserTestCase):
    size = (390, 844)

    def setUp(self):
        super().setUp()
        self.van = Job.objects.get(vehicle__unit="Van 21")
        self.done = Job.objects.get(vehicle__unit="Van 9")

    def addresses(self):
        vehicle, fleet = self.van.vehicle_id, self.van.vehicle.fleet_id
        figures = Specification.objects.get(make="Tarvane").pk
        return [
            "/", "/find/?q=van", "/fleets/", f"/fleets/{fleet}/", f"/fleets/{fleet}/new-vehicle/", "/specifications/",
            f"/specifications/{figures}/", "/kits/", "/kits/new/", "/jobs/new/", "/preferences/", "/help/",
            f"/reports/{self.done.pk}/", f"/find/{vehicle}/", f"/find/{vehicle}/change/", f"/find/{vehicle}/adjusters/",
            *(f"/jobs/{self.van.pk}/{page}/" for page in (*STAGES, "history", "figures", "quick", "learned", "plan")),
        ]  # fmt: skip

    def test_no_page_goes_sideways_at_320_and_every_target_meets_a_finger(self):
        page = self.signed_in(at=None)
        page.set_viewport_size({"width": 320, "height": 700})
        for address in self.addresses():
            page.goto(address)
            page.wait_for_load_state("networkidle")
            with self.subTest(address=address):
                self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 320)
                self.assertEqual(json.loads(page.evaluate(SMALL_TARGETS, FINGER_PX)), [])
                order = page.evaluate("[...document.querySelectorAll('[tabindex]')].filter(e => e.tabIndex > 0).length")
                self.assertEqual(order, 0, "the focus goes as the page is written")
                self.assertEqual(json.loads(page.evaluate(_SMALL_WORDS, SMALLEST_WORD_PX)), [])

    def test_the_drawing_shows_the_axle_in_hand_so_that_it_can_be_read_and_the_whole_on_a_press(self):
        page = self.signed_in(at=f"/jobs/{self.van.pk}/read/")
        page.wait_for_selector("[data-saved][data-ready]")
        for _ in range(4):
            words = json.loads(page.evaluate(_WORDS))
            self.assertGreaterEqual(len(words), 8)
            self.assertEqual([word for word in words if word[1] < SMALLEST_WORD_PX], [])
            page.click("[data-walk='on']")
        page.set_viewport_size({"width": 1280, "height": 800})
        self.assertEqual([word for word in json.loads(page.evaluate(_WORDS)) if word[1] < SMALLEST_WORD_PX], [])
        page.set_viewport_size({"width": 390, "height": 844})
        page.click("[data-whole]")
        self.assertLess(min(size for _, size in json.loads(page.evaluate(_WORDS))), SMALLEST_WORD_PX)
        expect(page.locator("[data-whole]")).to_have_text("Show the axle in hand")
        page.click(".rail .brand")
        expect(page.locator("h2:has-text('In hand')")).to_be_visible()

    def test_a_count_of_what_is_open_leads_to_the_first_of_it(self):
        person = User.objects.get(username="mara")
        job = Job.objects.get(vehicle__unit="Van 14", status="planned")
        look_over(person, job)
        read_all(person, job, "before", axles=(2,))
        page = self.signed_in(at=f"/jobs/{job.pk}/arrive/")
        page.wait_for_selector("[data-saved][data-ready]")
        page.click(".rail a[data-stage='prove']")
        page.wait_for_selector(".rail a[aria-current][data-stage='prove']")
        for _ in range(2):  # pressed again, it leads there again
            self.page_focus(page, "prove/torque")
            page.locator("h1").click()
            page.click(".rail a[data-stage='prove']")
        self.page_focus(page, "prove/torque")

    def page_focus(self, page, slot):
        """The focus comes to a slot's field."""
        expect(page.locator(f"[data-slot='{slot}']:focus")).to_have_count(1)


class Themes(BrowserTestCase):
    def test_every_main_page_is_accessible_in_every_theme_and_what_is_drawn_stands_out(self):
        page = self.signed_in(at=None)
        van, done = (Job.objects.get(vehicle__unit=unit) for unit in ("Van 21", "Van 9"))
        addresses = [f"/reports/{done.pk}/", "/", "/specifications/", *(f"/jobs/{van.pk}/{stage}/" for stage in STAGES)]
        shapes = ".wheel, .scale, .beam, .tick, .axle, .line, .s-bracket, .s-whisker"
        for theme in ("day", "night", "sun"):
            User.objects.filter(username="mara").update(theme=theme)
            for address in addresses:
                page.goto(address)
                page.wait_for_load_state("networkidle")
                with self.subTest(theme=theme, address=address):
                    # By day the journeys ask on their way; what is no colour is alike in all themes.
                    if theme == "night":
                        self.assert_accessible(page)
                    elif theme == "sun":
                        self.assert_accessible(page, rules=["color-contrast"])
                    self.assertEqual(json.loads(page.evaluate(_FAINT, [WORDS_CONTRAST, "svg text"])), [])
                    self.assertEqual(json.loads(page.evaluate(_FAINT, [SHAPES_CONTRAST, shapes])), [])
