"""Lists come in with their faults shown, a fleet's manager finds the worst vehicles and why, a technician reads the past on Arrive, and all of it goes out."""

import io
import json
import zipfile

from django.utils import timezone

from rectaxis.demo.years import STORIES, make_years
from rectaxis.exchange import tasks
from rectaxis.exchange.models import Export, Import
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.visit.actions.open_job import open_job
from rectaxis.years.standing import needs_of, reckon_missing
from tests.browser import BrowserTestCase, expect

LIST = "Unit no,Customer,Axle pattern,Year\nVan 70,Harbour Post,Van,2021\nVan 71,Nobody,Van,2021\nVan 72,Harbour Post,Hovercraft,2021\n"


class OverTheYears(BrowserTestCase):
    def test_lists_come_in_the_worst_are_found_the_past_is_read_and_everything_goes_out(self):
        mara = User.objects.get(username="mara")
        struck = make_years(mara, STORIES[:2])[0]
        self.a_list_comes_in()
        reckon_missing(struck.fleet)
        worst = needs_of(struck.fleet, timezone.localdate())[:3]
        self.the_manager_finds(worst, struck.fleet_id)
        kit = Kit.objects.get(code="mirror_lasers")
        job = open_job(mara, struck, kit, timezone.now())
        page = self.signed_in(at=f"/jobs/{job.pk}/arrive/")
        page.click("text=What its angles did over the years")
        expect(page.locator(".happened")).to_contain_text("hit the kerb at Ferry Stance")
        chart, lines = page.locator("[data-chart]").first, page.locator(".angle").first.locator("tbody tr")
        chart.focus()
        for key, line in (("ArrowLeft", lines.last), ("Home", lines.first), ("ArrowRight", lines.nth(1))):
            page.keyboard.press(key)
            day = line.locator("th").text_content().strip()
            expect(chart.locator("[data-chart-said]")).to_contain_text(f"{day}, ")
            expect(chart.locator("circle.c-in-hand").first).to_be_visible()
        page.locator(".angle summary").first.focus()
        page.keyboard.press("Enter")
        expect(page.locator(".angle table").first).to_contain_text("km")
        self.a_visit_is_planned(page)
        self.everything_goes_out(struck)

    def a_list_comes_in(self):
        page = self.signed_in("jonah", at="/lists/")
        page.select_option("#id_kind", "vehicles")
        page.set_input_files("#id_file", {"name": "vans.csv", "mimeType": "text/csv", "buffer": LIST.encode()})
        page.click("text=Look at it")
        expect(page.locator(".due")).to_contain_text("1 new, 0 there already, 2 cannot be taken")
        expect(page.locator("tr.of-outside").first).to_contain_text("No fleet is called “Nobody”")
        page.check("[name=leave_out]")
        page.click("button:has-text('Take the 1 new')")
        expect(page.locator("#state")).to_contain_text("Waiting to be taken")
        tasks.take_list(str(Import.objects.get().pk))
        expect(page.locator("#state")).to_contain_text("1 of 3 lines were new")
        self.assertTrue(Vehicle.objects.filter(unit="Van 70").exists())

    def the_manager_finds(self, worst, fleet):
        page = self.signed_in("post", at=f"/fleets/{fleet}/years/")
        rows = page.locator("table.needs").last.locator("tbody tr")
        for number, need in enumerate(worst):
            expect(rows.nth(number)).to_contain_text(need.vehicle.unit)
        expect(rows.first).to_contain_text("Do not drive")
        page.select_option("#by", "axles")
        page.click("summary:has-text('Columns')")
        page.check("[name=column][value=saved]")
        page.click("button:has-text('Look')")
        expect(page.locator("table.needs").last).to_contain_text("Saved so far")
        rows.nth(1).locator("a").click()
        expect(page.locator("h1")).to_contain_text(worst[1].vehicle.unit)

    def a_visit_is_planned(self, page):
        """Found by words and the keyboard alone, among however many vehicles."""
        page.goto("/jobs/new/")
        page.fill("#id_vehicle_words", "van 70")
        expect(page.locator(".picks li")).to_have_count(1)
        # Chosen while the answer to other words is on its way: it stays chosen.
        page.evaluate(
            "() => { const words = document.querySelector('#id_vehicle_words'); words.value = 'van'; words.dispatchEvent(new Event('input', { bubbles:"
            " true })); setTimeout(() => document.querySelector('.picks input').click(), 215); }"
        )
        expect(page.locator(".picks li").nth(1)).to_be_visible()
        expect(page.locator(".picks li:has-text('Van 70') input")).to_be_checked()
        page.fill("#id_vehicle_words", "van 70")
        expect(page.locator(".picks li")).to_have_count(1)
        page.keyboard.press("Tab")
        page.keyboard.press("Space")
        expect(page.locator("#abilities")).to_contain_text("Flag lasers")
        page.click("button.go")
        expect(page.locator("h1, .job-head")).to_contain_text("Van 70")

    def everything_goes_out(self, vehicle):
        page = self.signed_in("post", at=f"/fleets/{vehicle.fleet_id}/years/")
        page.click("text=Everything of this fleet")
        tasks.make_export(str(Export.objects.get().pk))
        address = page.locator("a:has-text('Take it')").get_attribute("href")
        content = page.context.request.get(f"{self.live_server_url}{address}").body()
        with zipfile.ZipFile(io.BytesIO(content)) as folder:
            self.assertIn(
                vehicle.unit, json.loads(folder.read("manifest.json"))["fleet"] + folder.read("vehicles.csv").decode()
            )
            self.assertTrue([name for name in folder.namelist() if name.startswith("records/")])
