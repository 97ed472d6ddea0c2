"""How much a routine van costs a technician: numbers, keys and taps, counted on the real screens."""

import re

from rectaxis.demo.doing import slots_of
from rectaxis.record.models import Entry, Job
from rectaxis.visit.visit import Visit
from tests.browser import BrowserTestCase, expect
from tests.technician import Technician

MOST_NUMBERS, MOST_KEYS, MOST_TAPS = 55, 270, 25
"""What it costs at most. Fewer is better: these are lowered when something is made shorter, and not raised."""
_COUNTER = """() => {
  const add = (what) => sessionStorage.setItem(what, Number(sessionStorage.getItem(what) || 0) + 1);
  document.addEventListener("keydown", (event) => { if (event.isTrusted) add("keys"); }, true);
  document.addEventListener("pointerdown", (event) => { if (event.isTrusted) add("taps"); }, true);
}"""


class Counting(Technician):
    """One hand at the keyboard's numbers, the other taps: nothing is typed or pressed that a person need not."""

    def tap(self, query):
        self.page.locator(query).first.click()

    def type_here(self, slot, text):
        self.page.locator(f"main [data-slot='{slot}']").first.focus()
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")

    def enter(self, query):
        """Where the last number has led: Enter does what stands there."""
        expect(self.page.locator(f"{query}:focus")).to_have_count(1)
        self.page.keyboard.press("Enter")

    def onward(self, stage, *, by_enter=False):
        self.saved()
        (self.enter if by_enter else self.tap)(".onward a")
        self.page.wait_for_selector(f".rail a[aria-current][data-stage='{stage}']")
        self.page.wait_for_selector("[data-saved][data-ready]")

    def read_blank(self):
        """Every blank scale in view, as Enter leads from one to the next."""
        blank = "fields => fields.filter(f => !f.value).map(f => f.dataset.slot)"
        slots = self.page.locator("[data-walkable]").evaluate_all(blank)
        shown = self.shown("", slots)
        self.page.locator(f"main [data-slot='{slots[0]}']").focus()
        for _ in slots:
            here = self.page.evaluate("document.activeElement.dataset.slot")
            self.page.keyboard.type(shown[here])
            self.page.keyboard.press("Enter")
        self.saved()


class RoutineVan(BrowserTestCase):
    def test_a_routine_van_costs_no_more_than_it_must(self):
        page = self.signed_in(at=None)
        page.add_init_script(f"({_COUNTER})()")
        self.job = Job.objects.get(vehicle__unit="Van 14", status="planned")
        self.at = Counting(page, self.job)
        for part in (self.take_in, self.rig_and_roll, self.read_and_save, self.set_it, self.prove_and_hand_over):
            part(self.at, page)
        keys, taps = (int(page.evaluate(f"sessionStorage.getItem('{what}')")) for what in ("keys", "taps"))
        numbers = self.typed_numbers(self.job)
        print(f"a routine van: {numbers} numbers, {keys} keys, {taps} taps")
        self.assertLessEqual(numbers, MOST_NUMBERS)
        self.assertLessEqual(keys, MOST_KEYS)
        self.assertLessEqual(taps, MOST_TAPS)

    def take_in(self, at, page):
        page.goto("/")
        at.tap("a:has-text('Van 14')")
        page.wait_for_selector("[data-saved][data-ready]")
        at.type_here("arrive/odometer", "82410")
        at.tap("label:has([data-slot='arrive/reason'][value='routine'])")
        at.onward("look")
        for axle, pressure in ((1, "3.1"), (2, "3.6")):
            at.type_here(f"look/tyre/{axle}/left/pressure", pressure)
        at.tap("[data-same='pressure']")
        for axle, side in ((1, "left"), (1, "right"), (2, "left"), (2, "right")):
            at.type_here(f"look/tyre/{axle}/{side}/tread-outer", "5.2")
        at.tap("[data-same='tread']")
        at.tap("[data-rest]")
        at.tap("#rest-mark")

    def rig_and_roll(self, at, page):
        at.onward("rig")
        expect(page.locator(".checks").first).to_contain_text(", at Van 9.")
        for slot, answer in (("rig/rolled", "yes"), ("rig/straps", "yes"), ("rig/ground", "level")):
            at.tap(f"label:has([data-slot='{slot}'][value='{answer}'])")
        at.onward("roll")
        for again in (False, True):
            for slot, text in at.shown("before", slots_of(self.job, "roll")).items():
                if page.locator(f"main [data-slot='{slot}']").input_value() == "":
                    at.type_here(slot, text)
            at.saved()
            if not again:
                self.true_the_clamps(page)
        at.tap("label:has([data-slot='roll/settled'][value='yes'])")
        at.tap("label:has([data-slot='roll/locked'][value='level'])")

    def true_the_clamps(self, page):
        """The box of each clamp that is not accepted."""
        for words in ("Not read yet", "Half read"):
            expect(page.locator(f".clamp:has-text('{words}')")).to_have_count(0)
        boxes = page.locator(".clamp:has(.refused) input[value='turned']")
        for left in range(boxes.count(), 0, -1):
            expect(boxes).to_have_count(left)
            boxes.first.check()
        expect(boxes).to_have_count(0)

    def read_and_save(self, at, page):
        at.onward("read")
        at.read_blank()
        at.enter("#move-on a.go")
        page.wait_for_selector(".setups nav a:nth-of-type(2)[aria-current]")
        page.wait_for_selector("[data-saved][data-ready]")
        at.read_blank()
        at.onward("judge", by_enter=True)
        at.tap("button:has-text('Save the before')")
        expect(page.locator(".notice")).to_contain_text("sealed")

    def set_it(self, at, page):
        page.wait_for_selector(".rail a[aria-current][data-stage='set']")
        for number in range(8):
            page.wait_for_selector("[data-saved][data-ready]")
            if not page.locator("[data-in-hand]").count():
                return
            page.evaluate("document.body.dataset.before = 'the move'")
            if number:
                at.enter("[data-in-hand] [name=amount]")
            else:
                at.tap("[data-in-hand] form[data-move] .go")
            page.wait_for_selector("body:not([data-before])")
            page.wait_for_selector("[data-saved][data-ready]")
            at.read_blank()
            expect(page.locator(".setups nav a .left")).to_have_count(0)

    def prove_and_hand_over(self, at, page):
        at.tap(".onward a")
        page.wait_for_selector(".rail a[aria-current][data-stage='prove']")
        for left in (1, 0):
            page.wait_for_selector("[data-saved][data-ready]")
            at.tap("#confirm button")
            expect(page.locator(".setups nav a .left")).to_have_count(left)
        for slot, answer in (("prove/road-test", "straight"), ("prove/torque", "yes"), ("prove/sensors", "nothing")):
            at.tap(f"label:has([data-slot='{slot}'][value='{answer}'])")
        at.saved()
        at.tap("button:has-text('Save the after')")
        expect(page.locator(".notice")).to_contain_text("sealed")
        page.wait_for_selector(".rail a[aria-current][data-stage='hand-over']")
        at.tap("button:has-text('Hand the job over')")
        expect(page.locator(".notice")).to_contain_text("handed over")

    def typed_numbers(self, job):
        """Numbers that were typed; those that a button took over are not."""
        taken = {f"after/{station.slot}" for station in Visit(job).confirming.confirmed}
        counted = 0
        for entry in Entry.objects.filter(job=job, value__isnull=False):
            slot = entry.slot
            if any(slot.startswith(f"{place}/") for place in taken) or re.search(
                r"tread-(middle|inner)$|right/pressure$", slot
            ):
                continue
            counted += 1
        return counted
