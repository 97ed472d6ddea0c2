"""What happens at the same moment, on a real database with real threads: nothing acknowledged is lost, and nothing waits for ever."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor

from django.db import connection, transaction
from django.test import TransactionTestCase
from uuid6 import uuid7

from rectaxis.common.locks import locking
from rectaxis.fleets.actions.set_adjusters import set_adjusters
from rectaxis.fleets.models import Vehicle
from rectaxis.people.models import User
from rectaxis.record.models import Entry, Job, Seal
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.correct_reading import correct_reading
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.save_entries import save_entries
from rectaxis.visit.actions.seal_phase import seal_phase
from tests.demo import put_out_the_demo

SLOT = "before/outboard_pair/2/left_mm"
ROUNDS = 6


class Races(TransactionTestCase):
    def setUp(self):
        put_out_the_demo()
        self.person = User.objects.get(username="mara")
        self.job = Job.objects.get(vehicle__unit="Van 21")

    def together(self, *calls):
        """What each call answers or raises, all begun at one moment, each on a connection of its own."""
        gate = threading.Barrier(len(calls))

        def run(call):
            try:
                gate.wait(10)
                return call()
            except Exception as error:  # noqa: BLE001 - what went wrong is what the test looks at
                return error
            finally:
                connection.close()

        with ThreadPoolExecutor(len(calls)) as pool:
            return list(pool.map(run, calls))

    def save(self, typed, delay=0.0):
        time.sleep(delay)
        return save_entries(self.person, self.job, [{"id": str(uuid7()), "slot": SLOT, "typed": typed}])[0].status

    def test_a_reading_that_was_acknowledged_is_in_the_seal_and_one_that_came_too_late_is_refused(self):
        outcomes = set()
        for number in range(ROUNDS):
            Seal.objects.filter(job=self.job).delete()
            typed = f"{30 + number}.5"
            status, seal = self.together(
                lambda typed=typed, number=number: self.save(typed, number * 0.004),
                lambda: seal_phase(self.person, self.job, Phase.BEFORE),
            )
            self.assertIsInstance(seal, Seal)
            pair = next(r for r in seal.job_file["readings"] if r["kind"] == "outboard_pair" and r["axle"] == 2)
            self.assertEqual(pair["left_mm"] == float(typed), status == "saved", status)
            outcomes.add(status)
        self.assertLessEqual(outcomes, {"saved", "refused"})

    def test_many_saves_at_once_each_get_a_place_of_their_own(self):
        before = Entry.objects.filter(job=self.job).count()
        answers = self.together(*[lambda n=n: self.save(str(20 + n)) for n in range(8)])
        self.assertEqual(answers, ["saved"] * 8)
        places = list(Entry.objects.filter(job=self.job).values_list("sequence", flat=True))
        self.assertEqual((len(places), len(set(places))), (before + 8, before + 8))

    def test_a_correction_seals_the_number_that_it_brought_and_two_make_two_revisions(self):
        seal_phase(self.person, self.job, Phase.BEFORE)
        found = self.together(
            *[lambda n=n: correct_reading(self.person, self.job, SLOT, str(n), "misread") for n in (31, 32)]
        )
        for typed, seal in zip((31, 32), found, strict=True):
            pair = next(r for r in seal.job_file["readings"] if r["kind"] == "outboard_pair" and r["axle"] == 2)
            self.assertEqual(pair["left_mm"], typed)
        self.assertEqual(sorted(seal.revision for seal in found), [2, 3])

    def test_jobs_and_adjusters_never_wait_for_each_other(self):
        vehicle = self.job.vehicle
        for _ in range(ROUNDS):
            listed = vehicle.layout["adjusters"]
            answers = self.together(
                lambda: record_move(self.person, self.job, uuid7(), "A2 left tie rod", by="1"),
                lambda listed=listed: set_adjusters(self.person, vehicle, listed),
                lambda: self.save("33"),
                lambda listed=listed: set_adjusters(self.person, vehicle, listed),
            )
            self.assertEqual([a for a in answers if isinstance(a, Exception)], [])

    def test_a_lock_on_a_row_stops_neither_what_points_to_it_nor_what_it_was_read_with(self):
        vehicle, kit = self.job.vehicle, self.job.kit
        held, done = threading.Event(), threading.Event()

        def hold():
            with transaction.atomic():
                locking(Vehicle).get(pk=vehicle.pk)
                locking(Job).select_related("technician").get(pk=self.job.pk)
                held.set()
                done.wait(10)

        def others():
            held.wait(10)
            try:
                with transaction.atomic(), connection.cursor() as cursor:
                    cursor.execute("SET LOCAL lock_timeout = '2s'")
                    locking(User).get(pk=self.person.pk)
                    more = {name: getattr(self.job, name) for name in ("layout", "specification", "rig", "planned_at")}
                    Job.objects.create(vehicle=vehicle, kit=kit, technician=self.person, **more)
            finally:
                done.set()

        self.assertEqual(self.together(hold, others), [None, None])

    def test_two_who_edit_a_vehicle_with_old_copies_lose_nothing_of_each_other(self):
        one, other = (Vehicle.objects.get(pk=self.job.vehicle_id) for _ in range(2))
        rods, packing = one.layout["adjusters"][:1], {"axle": 1, "thickness_mm": 8.0, "low_mm": 450.0, "high_mm": 470.0}
        set_adjusters(self.person, one, rods)
        set_adjusters(self.person, other, [packing], what="packings")
        layout = Vehicle.objects.get(pk=one.pk).layout
        self.assertEqual((layout["adjusters"], layout["packings"]), (rods, [packing]))

    def test_one_move_sent_twice_at_once_is_one_move(self):
        key = uuid7()
        moves = self.together(*[lambda: record_move(self.person, self.job, key, "A2 left tie rod", by="1")] * 2)
        self.assertEqual({move.pk for move in moves}, {key})
