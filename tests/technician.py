"""A technician at the keyboard or at a touch screen: goes through a job's stages as the page shows them."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from rectaxis.demo.doing import careful_answer, level_bar, slots_of
from rectaxis.people.models import User
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.visit import Visit
from tests.browser import Far, expect

if TYPE_CHECKING:
    from rectaxis.record.models import Job

STAGES = ("arrive", "look", "rig", "roll", "read", "judge", "set", "prove", "hand-over")


class Technician:
    """Uses the keyboard alone: stages by their number, fields by Enter, choices by the space bar, buttons by Enter."""

    def __init__(self, page: Far, job: Job, name: str = "mara") -> None:
        self.page, self.job = page, job
        self.person = User.objects.get(username=name)

    def go(self, stage: str) -> None:
        self.page.wait_for_selector("[data-saved][data-ready]")
        self.page.keyboard.press("Escape")
        self.page.evaluate("document.activeElement.blur()")
        self.page.keyboard.press(str(STAGES.index(stage) + 1))
        self.page.wait_for_selector(f".rail a[aria-current][data-stage='{stage}']")
        self.page.wait_for_selector("[data-saved][data-ready]")

    def press(self, found: Far) -> None:
        """A button or a link, by Enter."""
        found.focus()
        self.page.keyboard.press("Enter")

    def saved(self) -> None:
        expect(self.page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))

    def type_at(self, slot: str, text: str) -> None:
        self.page.locator(f"main [data-slot='{slot}']").first.focus()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.insert_text(text)
        self.page.keyboard.press("Enter")

    def choose(self, slot: str, words: str) -> None:
        self.page.locator(f"[data-slot='{slot}'][value='{words}']").focus()
        self.page.keyboard.press("Space")

    def answer(self, stage: str) -> None:
        """Every question of a stage that is still open, as a careful person would answer it."""
        visit = Visit(self.job)
        for question in visit.snapshot.questions[stage]:
            if question.needed and not visit.journal.answer(question.slot):
                text = careful_answer(question, visit.snapshot.subject.group)
                (self.choose if question.what == "choice" else self.type_at)(question.slot, text)
        if stage == "rig":
            for slot, text in level_bar(self.job).items():
                self.page.evaluate("for (const fold of document.querySelectorAll('main details')) fold.open = true")
                self.type_at(slot, text)
        self.saved()

    def shown(self, phase: str, slots: list[str]) -> dict[str, str]:
        """What the simulated scales show now: what a person in the yard would read."""
        self.job.refresh_from_db()
        return look_at_scales(self.person, self.job, slots)

    def roll(self) -> None:
        """Read each gauge, true the clamps that are not accepted, and read those again."""
        self.read_gauges()
        for words in ("Not read yet", "Half read"):
            expect(self.page.locator(f".clamp:has-text('{words}')")).to_have_count(0)
        boxes = self.page.locator(".clamp:has(.refused) input[value='turned']")
        for left in range(boxes.count(), 0, -1):
            expect(boxes).to_have_count(left)
            boxes.first.focus()
            self.page.keyboard.press("Space")
        expect(boxes).to_have_count(0)
        self.read_gauges()
        expect(self.page.locator(".clamp .refused")).to_have_count(0)

    def read_gauges(self) -> None:
        shown = self.shown("before", slots_of(self.job, "roll"))
        for slot in shown:
            if self.page.locator(f"main [data-slot='{slot}']").input_value() == "":
                self.type_at(slot, shown[slot])
        if shown:
            self.saved()

    def open_tab(self, number: int) -> None:
        """The set-up's tab of that number, counted from 0."""
        tab = self.page.locator(".setups nav a").nth(number)
        if tab.get_attribute("aria-current") != "true":
            self.press(tab)
            self.page.wait_for_selector(f".setups nav a:nth-of-type({number + 1})[aria-current]")
        self.page.wait_for_selector("[data-saved][data-ready]")

    def walk(self) -> list[str]:
        """Type every scale of the set-up in view, Enter leading from one to the next; answers with their order."""
        order = self.page.locator("[data-walkable]").evaluate_all("fields => fields.map(f => f.dataset.slot)")
        shown = self.shown("", order)
        self.page.locator("[data-walkable]").first.focus()
        for slot in order:
            here = self.page.evaluate("document.activeElement.dataset.slot")
            if here != slot:
                raise AssertionError(f"Enter led to {here}, expected {slot}")
            self.page.keyboard.press("Control+a")
            self.page.keyboard.type(shown[slot])
            self.page.keyboard.press("Enter")
        self.saved()
        return order

    def read_all_in_view(self) -> None:
        """Every simulated scale of the set-up in view, by the button that reads them all."""
        self.press(self.page.locator("[data-simulate='all']"))
        expect(self.page.locator(".setups nav a[aria-current] .left")).to_have_count(0)
        self.saved()

    def make_the_move(self) -> str:
        """The move in hand, as it is advised; answers with its adjuster."""
        hand = self.page.locator("[data-in-hand]")
        name = hand.get_attribute("data-in-hand")
        # A refresh of the page before would show what was said of the move before: wait for the page after.
        self.page.evaluate("document.body.dataset.before = 'the move'")
        self.press(hand.locator("form[data-move] .go"))
        self.page.wait_for_selector("body:not([data-before])")
        expect(self.page.locator("#did")).to_contain_text("Recorded")
        return name

    def read_again(self, *, by_button: bool = False) -> None:
        """Every scale that a move has put out of date, hanging by hanging; ``by_button`` all that are in view at once."""
        for _ in range(6):
            left = self.page.locator(".setups nav a:has(.left)")
            if not left.count():
                return
            if left.first.get_attribute("aria-current") != "true":
                title = left.first.get_attribute("href")
                self.press(left.first)
                self.page.wait_for_selector(f".setups nav a[aria-current][href='{title}']")
            self.page.wait_for_selector("[data-saved][data-ready]")
            fields = self.page.locator("[data-walkable]")
            empty = fields.evaluate_all("fields => fields.filter(f => !f.value).map(f => f.dataset.slot)")
            self.job.refresh_from_db()
            if by_button:
                self.read_all_in_view()
                continue
            shown = self.shown("", empty)
            for slot in empty:
                self.type_at(slot, shown[slot])
            self.saved()
            expect(self.page.locator(".setups nav a[aria-current] .left")).to_have_count(0)

    def set_everything(self, most: int = 20, *, by_button: bool = False) -> list[str]:
        """Move what is advised and read again, until nothing is left to move; answers with the adjusters, in order."""
        moved = []
        for _ in range(most):
            self.page.wait_for_selector("[data-saved][data-ready]")
            if not self.page.locator("[data-in-hand]").count():
                return moved
            moved.append(self.make_the_move())
            self.read_again(by_button=by_button)
        raise AssertionError(f"not settled after {most} moves: {moved}")
