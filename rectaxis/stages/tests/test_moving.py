"""What is worked out of live numbers for the pages that are open on a visit."""

from django.test import TestCase
from django.utils import timezone

from rectaxis.demo.business import make_library, make_people, make_van
from rectaxis.devices.models import Device
from rectaxis.fleets.models import Fleet
from rectaxis.stages.moving import Moving, _to_take
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.visit import Visit

PLACES = ["swing/1/left/camber_out_deg"]


class Taking(TestCase):
    @classmethod
    def setUpTestData(cls):
        fleet = Fleet.objects.create(name="Harbour Post")
        person, kits = make_people(fleet), make_library()
        cls.job = open_job(person, make_van(fleet, 30), kits["wheel_heads"], timezone.now())

    def said(self, **settled: bool):
        """Live numbers as the follower has them: device, value, u, spread, samples, settled, stopped."""
        heard = {"camber/1/left": settled.get("camber", True), "turned/1/left": settled.get("turned", True)}
        return {key: ("d", 1.5, 0.02, 0.01, 20, is_settled, False) for key, is_settled in heard.items()}

    def test_a_number_is_taken_only_when_it_and_the_wheel_have_come_to_rest(self):
        visit = Visit(self.job)
        self.assertEqual(_to_take(visit, PLACES, self.said()), {PLACES[0]: [1.5, 0.02, 0.01, 20, "d"]})
        # The wheel has just arrived: the number that is settled may be that of before.
        self.assertEqual(_to_take(visit, PLACES, self.said(turned=False)), {})
        self.assertEqual(_to_take(visit, PLACES, self.said(camber=False)), {})
        self.assertEqual(_to_take(visit, PLACES, {}), {})
        # Of what is read together nothing is taken before all of it has come.
        both = [*PLACES, "swing/1/right/camber_in_deg"]
        self.assertEqual(_to_take(visit, both, self.said()), {})

    def test_a_device_that_is_paired_while_a_page_is_open_is_heard(self):
        moving, heard = Moving(), {}
        moving.want({"job": str(self.job.pk), "phase": "before", "style": "deg"}, 0.0)

        def told(at):
            return [text for one in moving._watched.values() for text in moving._tell(one, heard.__getitem__, at)]

        self.assertEqual(told(0.0), [])
        device = Device.objects.create(kit=self.job.kit, name="Heads", address="http://127.0.0.1:9", identity={})
        heard[str(device.pk)] = {f"camber/1/{side}": (-0.6, 0.01, 0.01, 20, True, False) for side in ("left", "right")}
        self.assertIn('"wheels"', "".join(told(2.0)))

    def test_what_no_page_wants_is_not_worked_out_and_what_is_wanted_is_forgotten_with_its_page(self):
        moving = Moving()
        wanted = {"job": str(self.job.pk), "phase": "before", "style": "deg"}
        for phase in ("nonsense", ""):
            moving.want({**wanted, "phase": phase}, 0.0)
        self.assertEqual(moving._watched, {})
        for page in ("one", "other"):
            moving.want({**wanted, "page": page}, 0.0)
        (watched,) = moving._watched.values()
        moving.want({**wanted, "page": "one", "do": "gone"}, 5.0)
        self.assertEqual(watched.until, 25.0, "another page still shows it")
        moving.want({**wanted, "page": "other", "do": "gone"}, 5.0)
        self.assertEqual(watched.until, 5.0)
        moving.want({**wanted, "style": "dms", "do": "gone"}, 5.0)
        self.assertEqual(len(moving._watched), 1)
        for number in range(500):
            moving.want({**wanted, "style": str(number)}, 0.0)
        self.assertLessEqual(len(moving._watched), 100)
