"""From an empty program to a first visit on data of one's own."""

import json
import math

from django.test import TestCase
from django.utils import timezone
from uuid6 import uuid7

from alignment.jobfile import parse
from alignment.patterns import patterns
from alignment.tests.test_hardware import EVERY
from rectaxis.day.finding import found_vehicles
from rectaxis.demo.doing import type_in
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.fleets.vin import VinError, check_digit, doubt, plain
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.hold_job import hold_job
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.visit import Visit
from tests.demo import put_out_the_demo

VAN = {"unit": "7", "make": "Orsk", "model": "Low", "group": "van", "pitch": "1.5", "arm": "150", "steering_ratio": "16",
       "axle-TOTAL_FORMS": "2", "axle-INITIAL_FORMS": "0", "axle-0-role": "steer", "axle-0-position": "0",
       "axle-0-track": "1600", "axle-0-steers": "on", "axle-0-rods": "ahead", "axle-1-role": "drive",
       "axle-1-position": "3.1 m", "axle-1-track": "62 in", "axle-1-rods": "behind"}  # fmt: skip


FIGURES = {"name": "n", "make": "m", "model": "o", "row-TOTAL_FORMS": "6", "row-INITIAL_FORMS": "0"}


class OwnData(TestCase):
    def setUp(self):
        self.client.force_login(User.objects.create_user("ana", password="x", role=User.Role.TECHNICIAN))

    def post(self, address, **data):
        return self.client.post(address, data)

    def add_van(self, **changes):
        fleet, _ = Fleet.objects.get_or_create(name="Own")
        return self.post(f"/fleets/{fleet.pk}/new-vehicle/", **(VAN | changes))

    def test_fleet_figures_kit_vehicle_and_visit_are_entered_by_hand(self):
        self.assertContains(self.client.get("/"), "Plan one to begin")
        self.post("/fleets/new/", name="Own", yard="Quay")
        self.post("/kits/new/", name="Lasers", code="flag_lasers", goes="stages")
        self.post(
            "/specifications/new/",
            **(
                FIGURES
                | {
                    "name": "Orsk Low",
                    "make": "Orsk",
                    "model": "Low",
                    "row-0-quantity": "total_toe_deg",
                    "row-0-axle": "1",
                    "row-0-fixed": "1",
                    "row-0-least": "0",
                    "row-0-most": "0°18'",
                }
            ),
        )
        self.add_van()
        vehicle = Vehicle.objects.get()
        self.assertEqual(vehicle.layout["vehicle"]["axles"][1]["position_mm"], 3100)
        self.assertAlmostEqual(vehicle.layout["vehicle"]["axles"][1]["track_mm"], 62 * 25.4)
        self.post("/jobs/new/", vehicle=vehicle.pk, kit=self.client.get("/jobs/new/").context["form"].fields["kit"].queryset[0].pk,
                  planned_at="2030-05-04 09:00")  # fmt: skip
        visit = Visit(Job.objects.get())
        self.assertEqual([rule.maximum for rule in visit.snapshot.core.rules], [0.3])
        self.assertEqual([rod.toe_per_flat_deg < 0 for rod in visit.hardware], [True, True, False, False])
        self.assertEqual(self.client.get(f"/jobs/{visit.job.pk}/read/").status_code, 200)

    def test_what_is_wrong_is_said_beside_its_field_and_nothing_typed_is_lost(self):
        for field, text, words in (
            ("axle-1-position", "long", "Cannot read"),
            ("arm", "-3", "more than 0"),
            ("unit", "", "required"),
            ("axle-1-position", "0", "position_mm"),
            ("vin", "TOO SHORT", "17 letters and digits"),
        ):
            answer = self.add_van(**{field: text})
            self.assertContains(answer, words, status_code=422)
            self.assertContains(answer, 'value="Orsk"', status_code=422)
        self.assertEqual(Vehicle.objects.count(), 0)

    def test_what_a_vehicle_is_called_stays_while_its_pattern_is_chosen(self):
        page = self.add_van(unit="77", vin="", make="Orsk", pattern="tractor_6x4")
        self.assertEqual((page.status_code, Vehicle.objects.count()), (200, 0))
        self.assertContains(page, 'value="77"')
        self.assertContains(page, 'value="Orsk"')
        self.assertEqual(len(page.context["axles"].forms), 3)
        self.assertEqual(self.add_van().status_code, 302)
        page = self.add_van(unit="78", copy="yes", sister=Vehicle.objects.get().pk)
        self.assertContains(page, 'value="78"')
        self.assertContains(page, 'value="3100"')

    def test_full_lock_is_asked_for_where_figures_judge_it_in_the_sweep_or_with_a_kit_that_has_none_by_itself(self):
        rows = {"row-0-quantity": "lock_out_deg", "row-0-axle": "1", "row-0-least": "36", "row-0-most": "40"}
        self.assertEqual(self.post("/specifications/new/", **FIGURES, **rows).status_code, 302)
        self.add_van(make=FIGURES["make"], model=FIGURES["model"])
        slots = [f"before/lock/1/{side}/{end}_deg" for side in ("left", "right") for end in ("out", "in")]
        for code, where in (("wheel_heads", "roll/?setup=1&sweep=1"), ("flag_lasers", "read/?setup=3")):
            kit = Kit.objects.create(name=code, code=code)
            job = open_job(User.objects.get(), Vehicle.objects.get(), kit, timezone.now())
            page = self.client.get(f"/jobs/{job.pk}/{where}").content.decode()
            self.assertEqual([slot in page for slot in slots], [True] * 4, code)
        for slot, turned in zip(slots, ("38.5", "33", "35", "33.5"), strict=True):
            type_in(User.objects.get(), job, {slot: turned})
        found = Visit(job).results(Phase.BEFORE)
        self.assertEqual(found.judged["axles/1/left/lock_out_deg"], "inside")
        self.assertEqual(found.judged["axles/1/right/lock_out_deg"], "outside")
        self.assertContains(self.client.get(f"/jobs/{job.pk}/judge/"), "full lock out")

    def test_a_unit_number_stands_once_in_a_fleet(self):
        self.assertEqual(self.add_van().status_code, 302)
        self.assertEqual(self.add_van().status_code, 422)

    def test_a_least_above_its_most_is_refused(self):
        answer = self.post(
            "/specifications/new/",
            **FIGURES,
            **{"row-0-quantity": "thrust_angle_deg", "row-0-least": "0.2", "row-0-most": "0.1"},
        )
        self.assertContains(answer, "The least is more than the most.", status_code=422)

    def test_figures_of_a_truck_are_entered_row_by_row_and_the_core_takes_them(self):
        rows = {"row-0-quantity": "scrub_deg", "row-0-axle": "2", "row-0-least": "-5'", "row-0-most": "5'",
                "row-1-quantity": "caster_deg", "row-1-axle": "1", "row-1-preferred": "4",
                "row-2-quantity": "setback_mm", "row-2-axle": "2", "row-2-most": "1/2 in",
                "row-3-quantity": "thrust_angle_deg", "row-3-most": "0.1",
                "row-4-quantity": "camber_gravity_deg", "row-4-axle": "1", "row-4-most": "0.5"}  # fmt: skip
        self.assertEqual(self.post("/specifications/new/", **FIGURES, **rows).status_code, 302)
        made = Specification.objects.get().rows
        vehicle = patterns()["tractor_6x4"].as_dict()
        rules = parse({"format": "rectaxis-job", "version": 1, **vehicle, "spec": made}).rules
        self.assertEqual(len(rules), 7)
        self.assertEqual(rules[-1].path, "axles/1/right/camber_gravity_deg")
        self.assertAlmostEqual(made[0]["max"], 5 / 60)
        self.assertEqual(made[0]["axles"], [2, 3])
        self.assertAlmostEqual(made[3]["max"], 12.7)
        for wrong, words in (({"row-0-quantity": "scrub_deg", "row-0-most": "1"}, "Say of which axle"),
                             ({"row-0-most": "1"}, "Choose what these figures are for"),
                             ({"row-0-quantity": "camber_deg", "row-0-axle": "1", "row-0-most": "1", "row-0-given": "mm"},
                              "Only a toe or a direction is given as a length"),
                             ({"row-0-quantity": "total_toe_deg", "row-0-axle": "1", "row-0-most": "900", "row-0-given": "mm", "row-0-over": "400"},
                              "Expected at most")):  # fmt: skip
            self.assertContains(self.post("/specifications/new/", **FIGURES, **wrong), words, status_code=422)

    def test_figures_of_a_competition_car_are_lengths_and_its_visit_reads_them_with_the_tape(self):
        rows = {"row-0-quantity": "thrust_angle_deg", "row-0-least": "-1/8 in", "row-0-most": "1/8 in", "row-0-given": "mm", "row-0-over": "1300",
                "row-1-quantity": "total_toe_deg", "row-1-axle": "1", "row-1-most": "2", "row-1-given": "mm", "row-1-over": "600",
                "row-2-quantity": "tread_mm", "row-2-axle": "2", "row-2-most": "1535",
                "row-3-quantity": "stagger_mm", "row-3-axle": "2", "row-3-preferred": "12"}  # fmt: skip
        self.assertEqual(self.post("/specifications/new/", **FIGURES, **rows).status_code, 302)
        made = {row["quantity"]: row for row in Specification.objects.get().rows}
        # 3.175 mm over 1300 mm; 2 mm of both wheels together at 600 mm is 1 mm at each: right triangles.
        self.assertAlmostEqual(made["thrust_angle_deg"]["max"], math.degrees(math.atan2(3.175, 1300)))
        self.assertAlmostEqual(made["total_toe_deg"]["max"], 2 * math.degrees(math.asin(1 / 600)))
        self.add_van(make=FIGURES["make"], model=FIGURES["model"])
        person, kit = User.objects.get(), Kit.objects.create(name="Lasers", code="flag_lasers")
        # Before a kit is chosen it is said how many of the figures each can settle.
        chosen = self.client.get("/jobs/new/kits/", {"vehicle": Vehicle.objects.get().pk})
        self.assertContains(chosen, "of 4</td>")
        self.assertNotContains(self.client.get("/jobs/new/kits/", {"vehicle": "x"}), "<table")
        job = open_job(person, Vehicle.objects.get(), kit, timezone.now())
        taped = {s.slot for s in Visit(job).readings.stations if s.reading["kind"] in ("tread", "stagger")}
        self.assertEqual(taped, {"tread/2", "stagger/2"})
        for slot, value in (("tread/2/outer_mm", "1740"), ("tread/2/inner_mm", "1330"), ("stagger/2/left_mm", "1900"),
                            ("stagger/2/right_mm", "1911")):  # fmt: skip
            type_in(person, job, {f"before/{slot}": value})
        found = Visit(job).results(Phase.BEFORE)
        self.assertAlmostEqual(found.value("axles/2/tread_mm"), 1535)
        self.assertAlmostEqual(found.value("axles/2/stagger_mm"), 11)

    def test_the_last_visit_is_one_that_was_made_and_none_that_is_only_planned(self):
        self.add_van()
        person, kit = User.objects.get(), Kit.objects.create(name="Lasers", code="flag_lasers")
        job = open_job(person, Vehicle.objects.get(), kit, timezone.now())
        self.assertIsNone(found_vehicles("Orsk")[0].last_visit)
        self.assertContains(self.client.get("/find/", {"q": "Orsk"}), "no visit yet")
        hold_job(person, job, "end", "it rained")
        self.assertEqual(found_vehicles("Orsk")[0].last_visit, job.planned_at)

    def test_a_beam_axle_is_rigid_and_an_axle_without_rods_has_none(self):
        self.add_van(**{"axle-1-rigid": "on", "axle-1-duals": "on", "axle-1-rods": ""})
        layout = Vehicle.objects.get().layout
        self.assertTrue(layout["vehicle"]["axles"][1]["rigid"])
        self.assertEqual({rod["axle"] for rod in layout["adjusters"]}, {1})
        self.assertEqual(layout["duals"], [2])

    def test_a_layout_begins_from_a_picture_of_its_axles_or_from_a_sister_vehicle(self):
        fleet = Fleet.objects.create(name="Own")
        for code, one in patterns().items():
            page = self.client.get(f"/fleets/{fleet.pk}/new-vehicle/", {"pattern": code}).context
            typed = self.typed(page)
            self.assertEqual(self.post(f"/fleets/{fleet.pk}/new-vehicle/", **typed, unit=code).status_code, 302, code)
            made = Vehicle.objects.get(unit=code)
            again = parse({"format": "rectaxis-job", "version": 1, "vehicle": made.layout["vehicle"]})
            self.assertEqual(again.vehicle, one.vehicle, code)
            self.assertEqual(frozenset(made.layout["duals"]), one.duals)
        sister = self.client.get(f"/fleets/{fleet.pk}/new-vehicle/", {"sister": made.pk}).context
        self.assertEqual(self.typed(sister), typed)

    @staticmethod
    def typed(page):
        """What a browser would send of the forms as they begin."""
        axles, found = page["axles"], {}
        for form in (page["form"], *axles.forms, axles.management_form):
            for field in form:
                value = field.value()
                if value not in (None, False, ""):
                    found[field.html_name] = "on" if value is True else value
        return found

    def test_axles_are_added_and_taken_away_one_by_one_and_nothing_typed_is_lost(self):
        fleet = Fleet.objects.create(name="Own")
        more = self.post(f"/fleets/{fleet.pk}/new-vehicle/", **VAN, rows="more")
        self.assertEqual(len(more.context["axles"].forms), 3)
        self.assertContains(more, 'value="3.1 m"')
        self.assertNotContains(more, "required.")
        fewer = self.post(f"/fleets/{fleet.pk}/new-vehicle/", **VAN, rows="fewer")
        self.assertEqual(len(fewer.context["axles"].forms), 1)


class Finding(TestCase):
    @classmethod
    def setUpTestData(cls):
        fleet = Fleet.objects.create(name="Stack Timber")
        for unit, plate, vin in (("Rigid 8", "ST 08 ISL", "11111111111111111"), ("Rigid 9", "ST-09-ISL", "")):
            Vehicle.objects.create(fleet=fleet, unit=unit, registration=plate, vin=vin, layout={"vehicle": {"axles": [
                {"role": "steer", "position_mm": 0, "track_mm": 2050}]}})  # fmt: skip

    def found(self, words):
        return [vehicle.unit for vehicle in found_vehicles(words)]

    def test_a_vehicle_is_found_by_unit_plate_either_way_end_of_vin_and_fleet(self):
        for words in ("rigid 8", "st08", "ST 08", "st-08", "1111111", "timber 08"):
            self.assertEqual(self.found(words), ["Rigid 8"], words)
        self.assertEqual(self.found("st09isl"), ["Rigid 9"])
        self.assertEqual(self.found("stack"), ["Rigid 8", "Rigid 9"])
        self.assertEqual(self.found(" ") + self.found("-"), [])
        self.assertEqual(self.found("nobody"), [])
        self.assertEqual(self.found("Riigd 8")[:1], ["Rigid 8"], "letters that changed places")

    def test_the_check_digit_is_worked_out_and_a_wrong_one_is_said_and_not_refused(self):
        # Seventeen ones: the weights sum to 89, one more than eight elevens, so the digit is 1. Weights from memory.
        self.assertEqual(check_digit("1" * 17), "1")
        # By hand: Z in the first place is 9 times 8, the other ones add 81 less the check place's nothing: 72 + 81 = 153 = 13*11 + 10.
        self.assertEqual(check_digit("Z" + "1" * 16), "X")
        self.assertEqual(doubt("1" * 17), "")
        self.assertIn("the ninth place is 2, by the others it would be 1", doubt("1" * 8 + "2" + "1" * 8))
        self.assertEqual(plain("111 1111-1111 111111"), "1" * 17)
        with self.assertRaisesRegex(VinError, "without I, O and Q"):
            plain("O" * 17)


class Adjusters(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.vehicle = Vehicle.objects.get(unit="Rigid 8")

    def setUp(self):
        self.client.force_login(User.objects.get(username="mara"))
        self.address = f"/find/{self.vehicle.pk}/adjusters/"

    def test_every_kind_has_a_form_and_what_it_makes_reaches_visits_on_which_nothing_was_moved(self):
        Vehicle.objects.filter(pk=self.vehicle.pk).update(layout=self.vehicle.layout | {"adjusters": []})
        for code, entry in ((entry["kind"], entry) for entry in EVERY):
            page = self.client.get(self.address, {"kind": code})
            self.assertContains(page, "Add it")
            typed = {"kind": code}
            for name, field in page.context["form"].fields.items():
                typed[name] = entry.get(name, field.initial if field.initial is not None else "")
            typed |= {"axle": "1", "side": "both"} | (
                {"table": "1 -0.4 0 0.05\n5 0\n9 0.4 0 -0.05"} if "table" in entry else {}
            )
            typed = {name: value for name, value in typed.items() if value is not False}
            answer = self.client.post(self.address, typed)
            self.assertEqual(answer.status_code, 302, answer.context and answer.context["form"].errors)
        kinds = {entry["kind"] for entry in Vehicle.objects.get(pk=self.vehicle.pk).layout["adjusters"]}
        self.assertEqual(kinds, {entry["kind"] for entry in EVERY})
        visit = Visit(Job.objects.get(vehicle=self.vehicle))
        self.assertEqual({one.KIND for one in visit.hardware}, kinds)

    def test_what_is_wrong_is_said_beside_its_field_and_what_is_listed_can_be_taken_off(self):
        answer = self.client.post(self.address, {"kind": "spring_shims", "axle": "2", "side": "left", "thickness_mm": "0",
                                                 "lever_mm": "wide", "where": "seat", "pushes": "forward", "installed": "0",
                                                 "most": "6", "cost": "8"})  # fmt: skip
        self.assertContains(answer, "Expected more than 0", status_code=422)
        self.assertContains(answer, "such as 46", status_code=422)
        plates = self.client.post(self.address, {"kind": "insert_plate", "axle": "1", "side": "left", "mounting": "upper",
                                                 "installed": "5", "table": "1 much", "cost": "12"})  # fmt: skip
        self.assertContains(plates, "Line 1", status_code=422)
        packed = {"kind": "packings", "axle": "2", "thickness_mm": "5/16 in", "ratio": "1", "most_above": "2", "most_below": "3",
                  "most": "5", "above": "0", "below": "4", "low_mm": "400", "high_mm": "410"}  # fmt: skip
        self.assertContains(self.client.post(self.address, packed), "at most 3 packings below", status_code=422)
        self.assertEqual(self.client.post(self.address, packed | {"below": "1"}).status_code, 302)
        job = Job.objects.get(vehicle=self.vehicle)
        entries = [{"id": str(uuid7()), "slot": "look/height/2/left", "typed": "394"}]
        self.client.post(f"/jobs/{job.pk}/entries/", json.dumps({"entries": entries}), content_type="application/json")
        self.assertContains(self.client.get(f"/jobs/{job.pk}/look/"), "1 packing more, 0 above and 2 below the spring")
        before = len(self.vehicle.layout["adjusters"])
        self.client.post(self.address, {"without": "A1 track rod"})
        self.assertEqual(len(Vehicle.objects.get(pk=self.vehicle.pk).layout["adjusters"]), before - 1)
