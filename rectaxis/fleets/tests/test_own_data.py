"""From an empty program to a first visit on data of one's own."""

from django.test import TestCase

from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.jobs.models import Job
from rectaxis.jobs.work import Work
from rectaxis.people.models import User

VAN = {"unit": "7", "make": "Orsk", "model": "Low", "wheelbase": "3.1 m", "front_track": "1600", "rear_track": "62 in",
       "rear": "links", "pitch": "1.5", "arm": "150", "rods_lie": "ahead", "steering_ratio": "16"}  # fmt: skip


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
        self.post("/kits/new/", name="Lasers", code="flag_lasers")
        self.post(
            "/specifications/new/", name="Orsk Low", make="Orsk", model="Low", front_toe_min="0", front_toe_max="0°18'"
        )
        self.add_van()
        vehicle = Vehicle.objects.get()
        self.assertEqual(vehicle.layout["vehicle"]["axles"][1]["position_mm"], 3100)
        self.assertAlmostEqual(vehicle.layout["vehicle"]["axles"][1]["track_mm"], 62 * 25.4)
        self.post("/jobs/new/", vehicle=vehicle.pk, kit=self.client.get("/jobs/new/").context["form"].fields["kit"].queryset[0].pk,
                  planned_at="2030-05-04 09:00")  # fmt: skip
        work = Work(Job.objects.get())
        self.assertEqual([rule.maximum for rule in work.core.rules], [0.3])
        self.assertEqual([rod.toe_per_flat_deg < 0 for rod in work.rods], [True, True, False, False])
        self.assertEqual(self.client.get(f"/jobs/{work.job.pk}/read/").status_code, 200)

    def test_what_is_wrong_is_said_beside_its_field_and_nothing_typed_is_lost(self):
        for field, text, words in (
            ("wheelbase", "long", "Cannot read"),
            ("arm", "-3", "more than 0"),
            ("unit", "", "required"),
        ):
            answer = self.add_van(**{field: text})
            self.assertContains(answer, words, status_code=422)
            self.assertContains(answer, 'value="Orsk"', status_code=422)
        self.assertEqual(Vehicle.objects.count(), 0)

    def test_a_unit_number_stands_once_in_a_fleet(self):
        self.assertEqual(self.add_van().status_code, 302)
        self.assertEqual(self.add_van().status_code, 422)

    def test_a_least_above_its_most_is_refused(self):
        answer = self.post("/specifications/new/", name="n", make="m", model="o", thrust_min="0.2", thrust_max="0.1")
        self.assertContains(answer, "The least is more than the most.", status_code=422)

    def test_a_beam_axle_has_no_rear_rods_and_is_rigid(self):
        self.add_van(rear="beam")
        layout = Vehicle.objects.get().layout
        self.assertTrue(layout["vehicle"]["axles"][1]["rigid"])
        self.assertEqual({rod["axle"] for rod in layout["rods"]}, {1})
