"""Lists from other programs: any order of columns, every line looked at, nothing half taken, undone, and quick."""

import csv
import io
import math

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from rectaxis.demo.business import make_fleets, make_people
from rectaxis.exchange import tasks
from rectaxis.exchange.models import Import
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.models import User
from rectaxis.post.models import Contact
from rectaxis.specs.models import Specification

GOOD = "Depot;Reg;Unit no;Customer;Axle pattern;Built;Colour\nNorth quay;hp 51 isl;Van 51;harbour post;van;2021;red\n;;Tractor 9;Stack Timber;Tractor 6x4;;\n"


class Lists(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_people(make_fleets()[0])

    def setUp(self):
        self.client.force_login(User.objects.get(username="jonah"))

    def read(self, content, kind="vehicles", name="list.csv"):
        content = content.encode() if isinstance(content, str) else content
        return self.client.post("/lists/", {"kind": kind, "file": SimpleUploadedFile(name, content)})

    def listed(self, content, **how):
        answer = self.read(content, **how)
        self.assertEqual(answer.status_code, 302, answer.content.decode())
        return answer["Location"]

    def taken(self, page, **given):
        answer = self.client.post(f"{page}take/", given, follow=True)
        for made in Import.objects.filter(status="waiting"):
            tasks.take_list(str(made.pk))
        return answer

    def test_columns_in_any_order_are_guessed_by_their_names_and_what_is_new_is_taken_once(self):
        page = self.listed(GOOD)
        self.assertContains(self.client.get(page), "<b>2 new</b>")
        self.assertFalse(Vehicle.objects.exists(), "looking takes nothing")
        for _ in range(2):
            self.taken(page)
        van = Vehicle.objects.get(unit="Van 51")
        self.assertEqual(
            (van.fleet.name, van.registration, van.year, van.stands_at, van.layout["group"]),
            ("Harbour Post", "HP 51 ISL", 2021, "North quay", "van"),
        )
        self.assertEqual(len(Vehicle.objects.get(unit="Tractor 9").layout["vehicle"]["axles"]), 3)
        self.assertEqual(van.history.get().history_change_reason, "read in from a list")
        self.assertContains(self.client.get(page), "2 of 2 lines were new")
        again = self.listed(GOOD)
        self.assertContains(self.client.get(again), "<b>0 new</b>, 2 there already")
        self.assertContains(self.taken(again), "Nothing in it is new.")

    def test_each_fault_says_how_to_mend_it_and_nothing_is_half_taken(self):
        page = self.listed(
            GOOD + "x;;;Nobody;van;;\n;;Van 51;Harbour Post;van;;\n;;Van 60;Harbour Post;hovercraft;1492;\n"
        )
        shown = self.client.get(page).content.decode()
        for words in (
            "No fleet is called “Nobody”: add it, or write one of",
            "It has no unit number",
            "Unit Van 51 stands in line 1 already",
            "No pattern of axles is called “hovercraft”",
            "Expected a year such as 2019, got 1492",
        ):
            self.assertIn(words, shown)
        self.assertContains(self.taken(page), "3 lines cannot be taken: mend the file, or leave them out.")
        self.assertFalse(Vehicle.objects.exists())
        self.taken(page, leave_out="on")
        self.assertEqual(Vehicle.objects.count(), 2)

    def test_what_columns_mean_is_said_on_the_screen_and_remembered_and_one_fleet_holds_for_all(self):
        odd = "A,B\nVan 70,Van\nVan 71,Van\n"
        page = self.listed(odd)
        self.assertContains(self.client.get(page), "<b>0 new</b>")
        twice = self.client.post(f"{page}columns/", {"column": ["unit", "unit"]}, follow=True)
        self.assertContains(twice, "Two columns cannot both be the unit.")
        self.client.post(f"{page}columns/", {"column": ["unit", "axles"], "usual-fleet": "Wether Dairy"})
        self.assertContains(self.client.get(page), "<b>2 new</b>")
        self.taken(page)
        self.assertEqual(Vehicle.objects.filter(fleet__name="Wether Dairy").count(), 2)
        self.assertEqual(
            Import.objects.get(pk=self.listed(odd.replace("7", "8")).split("/")[2]).columns, ["unit", "axles"]
        )

    def test_it_is_undone_unless_something_of_it_is_in_use(self):
        page = self.listed(GOOD)
        self.taken(page)
        note = Vehicle.objects.get(unit="Van 51").happenings.create(
            day="2026-01-01", kind="other", what="x", by=User.objects.first()
        )
        self.assertContains(self.client.post(f"{page}undo/", follow=True), "1 of what was made is in use by now")
        self.assertEqual(Vehicle.objects.count(), 2)
        note.delete()
        self.client.post(f"{page}undo/")
        self.assertFalse(Vehicle.objects.exists())
        self.assertContains(self.client.get(page), "Undone")

    def test_a_workbook_old_letters_and_tabs_are_read_and_what_is_no_list_says_so(self):
        book = openpyxl.Workbook()
        for row in (["Customer", "Unit", "Pattern", "Year"], ["Harbour Post", 77, "Van", 2020.0]):
            book.active.append(row)
        written = io.BytesIO()
        book.save(written)
        self.taken(self.listed(written.getvalue(), name="list.xlsx"))
        self.assertEqual(Vehicle.objects.get().unit, "77")
        Fleet.objects.create(name="Ødegård")
        self.taken(self.listed("Fleet\tUnit\tPattern\nØdegård\tA1\tVan\n".encode("cp1252")))
        self.assertEqual(Vehicle.objects.filter(fleet__name="Ødegård").count(), 1)
        for broken, words in (
            (b"", "empty"),
            (b"PK\x03\x04nothing", "cannot be read"),
            (b"only heads\n", "at least one line"),
            (b"a,b\n" + b"1,2\n" * 20_001, "at most 20,000 lines"),
            (b"\x00\x00\n\x00", "at least one line"),
        ):
            answer = self.read(broken)
            self.assertEqual(answer.status_code, 422, broken[:20])
            self.assertContains(answer, words, status_code=422)

    def test_fleets_and_contacts_come_in_likewise_and_contacts_get_nothing_by_themselves(self):
        self.taken(self.listed("Customer,Site\nGull Freight,Low Quay\n", kind="fleets"))
        self.assertEqual(Fleet.objects.get(name="Gull Freight").yard, "Low Quay")
        page = self.listed(
            "Contact,Mail,Company\nAna Reef,ana@gull.example,Gull Freight\nBo,no address,Gull Freight\n",
            kind="contacts",
        )
        self.assertContains(self.client.get(page), "Expected an e-mail address, got “no address”.")
        self.taken(page, leave_out="on")
        self.assertEqual(Contact.objects.get().wants, "nothing")

    def test_ten_thousand_lines_are_looked_at_and_taken_by_a_few_questions(self):
        written = io.StringIO()
        writer = csv.writer(written)
        writer.writerow(["Fleet", "Unit", "Pattern"])
        writer.writerows([["Harbour Post", f"Cart {n}", "Van"] for n in range(10_000)])
        page = self.listed(written.getvalue())
        with self.assertNumQueries(7):
            self.client.get(page)
        self.taken(page)
        self.assertEqual(Vehicle.objects.count(), 10_000)

    def test_nobody_of_a_fleet_reads_lists(self):
        page = self.listed(GOOD)
        self.client.force_login(User.objects.get(username="post"))
        self.assertEqual(self.client.get("/lists/").status_code, 403)
        for deed in ("", "columns/", "take/", "undo/"):
            self.assertEqual((self.client.post if deed else self.client.get)(f"{page}{deed}").status_code, 403, deed)

    def test_figures_come_in_a_line_for_each_angle_and_half_a_set_is_not_taken(self):
        heads = "Make;Model;From year;Tyres;Angle;Axle;Side;Min;Nominal;Max;Unit;Diameter;Ride height;Source\n"
        good = (
            "Orsk;Ferry 4;2019;15 in;camber;1;;-90;;-30;minutes;;340;page 7\nOrsk;Ferry 4;2019;15 in;camber;1;;-1;;0;degrees;;380;page 7\n"
            "Orsk;Ferry 4;2019;15 in;total toe;1;;0;1.5;3;mm;400;;page 7\nOrsk;Ferry 4;;;thrust_angle_deg;;;-0.1;;0.1;;;;page 8\n"
        )
        bad = "Orsk;Pier 2;;;camber;1;;0;;1;;;;\nOrsk;Pier 2;;;camber;2;;2;;1;;;;\nOrsk;Pier 3;;;camber;1;;0;;1;;;300;\nOrsk;Pier 4;;;wobble;1;;0;;1;;;;\n"
        page = self.listed(heads + good + bad, kind="figures")
        shown = self.client.get(page)
        for words in (
            "<b>4 new</b>",
            "Line 6 of the same set",
            "The least is more than the most",
            "two ride heights or more",
            "Choose what these figures are for",
        ):
            self.assertContains(shown, words)
        self.taken(page, leave_out="yes")
        by_years, plain = Specification.objects.filter(model="Ferry 4").order_by("year_from")
        self.assertEqual(
            (by_years.year_from, by_years.tyres, by_years.source, plain.year_from), (2019, "15 in", "page 7", None)
        )
        self.assertEqual(
            by_years.rows[0],
            {"quantity": "camber_deg", "axle": 1, "side": "left", "min": -1.5, "max": -0.5, "height_mm": 340.0},
        )
        toe = by_years.rows[-1]
        self.assertAlmostEqual(toe["preferred"], math.degrees(2 * math.asin(1.5 / 800)), places=9)
        self.assertContains(self.client.get(f"/specifications/{by_years.pk}/"), 'value="380"')
        self.assertContains(self.client.get(self.listed(heads + good, kind="figures")), "4 there already")
        self.client.post(f"{page}undo/")
        self.assertFalse(Specification.objects.exists())
