"""Setting on the record: moves, what they put out of date and teach, lifted wheels, what is left alone."""

import json

from django.utils import timezone
from uuid6 import uuid7

from rectaxis.demo.doing import look_over, read_all, set_all, type_in
from rectaxis.fleets.actions.set_adjusters import set_adjusters
from rectaxis.record.errors import KeyUsedError
from rectaxis.record.models import Job, Move, Taught
from rectaxis.record.slot import Phase
from rectaxis.record.tests.case import Record
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.lift_wheel import lift_wheel, put_down
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.read_in_job_file import read_in_job_file
from rectaxis.visit.actions.record_move import MoveError, record_move, strike_move, undo_move
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from tests.truth import assert_truly_inside


class Setting(Record):
    def turn(self, adjuster="A2 left tie rod", by="2", to="", job=None):
        return record_move(self.person, job or self.in_hand, uuid7(), adjuster, by=by, to=to)

    def test_a_turn_puts_its_axles_scales_out_of_date_until_they_are_read_again(self):
        setting = Visit(self.in_hand).setting
        step, marks = setting.in_hand(), setting.targets(setting.in_hand())
        self.assertEqual((step.hardware.axle, setting.standing.waiting), (2, frozenset()))
        self.turn(step.hardware.id, f"{step.to - step.start:g}")
        turned = Visit(self.in_hand).setting
        self.assertIsNone(turned.results().value("axles/2/left/toe_deg"))
        self.assertIsNotNone(turned.results().value("axles/1/total_toe_deg"))
        self.assertTrue(turned.waiting(2))
        self.assertFalse(turned.waiting(1))
        self.assertNotIn(step.hardware.id, [s.hardware.id for s in turned.advice.steps if not step.cautious])
        still = turned.targets(None)
        self.assertGreaterEqual(len(marks), 4)
        self.assertEqual({s: round(v, 6) for s, v in marks.items()}, {s: round(v, 6) for s, v in still.items()})
        self.in_hand.refresh_from_db()
        read_all(self.person, self.in_hand, "set", axles=(2,))
        self.assertFalse(Visit(self.in_hand).setting.waiting(2))

    def test_the_axles_are_set_in_the_order_of_the_school_that_was_chosen(self):
        job = Job.objects.get(vehicle__unit="Tractor 3")
        look_over(self.person, job)
        read_all(self.person, job, "before")
        type_in(self.person, job, {"judge/school": "rearmost-first"})
        seal_phase(self.person, job, Phase.BEFORE)
        set_all(self.person, job)
        moved = list(dict.fromkeys(int(move.adjuster[1]) for move in Visit(job).journal.moves))
        self.assertEqual(moved, sorted(moved, reverse=True))
        self.assertEqual(moved[0], 3)
        assert_truly_inside(self, job)

    def test_what_a_turn_did_is_learned_for_its_like_and_kept_for_the_model(self):
        self.in_hand.simulation["shares"] = {"tie_rod": 1.6}
        self.in_hand.layout["learned"] = {}
        self.in_hand.save()
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        set_all(self.person, self.in_hand)
        learned = Visit(self.in_hand).setting.learned
        self.assertTrue(learned.taught)
        for name in learned.taught:
            self.assertGreater(learned.of(name).share, 1.15)
            self.assertAlmostEqual(learned.of(name).share, 1.6, delta=3 * learned.of(name).u)
        read_all(self.person, self.in_hand, "after")
        seal_phase(self.person, self.in_hand, Phase.AFTER)
        kept = Taught.objects.filter(job=self.in_hand)
        self.assertEqual(
            {row.family for row in kept}, {o.family for o in Visit(self.in_hand).hardware if o.id in learned.taught}
        )
        real = open_job(self.person, self.empty.vehicle, self.in_hand.kit, timezone.now())
        self.assertEqual(real.layout.get("learned", {}), {}, "a simulated job teaches no real one")
        newer = open_job(
            self.person, self.empty.vehicle, self.in_hand.kit, timezone.now(), simulation=self.in_hand.simulation
        )
        name = next(iter(learned.taught))
        self.assertAlmostEqual(Visit(newer).setting.learned.of(name).share, learned.of(name).share, delta=0.1)

    def test_a_cam_that_was_moved_is_read_as_it_is_and_teaches_what_it_did(self):
        # What was rolled before holds the wheel's old camber; the knuckle turns as it leans, as nobody has said.
        job = Job.objects.get(vehicle__unit="Loan car 2")
        look_over(self.person, job)
        read_all(self.person, job, "before")
        seal_phase(self.person, job, Phase.BEFORE)
        self.turn("A2 left lower arm cam", to="5", job=job)
        job.refresh_from_db()
        moved = Visit(job).setting
        self.assertIn("cross_dial/2", {station.slot for station in moved.out_of_date}, "toe comes with camber")
        read_all(self.person, job, "set", axles=(2,))
        visit = Visit(job)
        truth, found = job.simulation["truth"], visit.setting.results()
        estimate = found.estimates["axles/2/left/camber_deg"]
        self.assertLess(abs(estimate.value - truth["axles/2/left/camber_deg"]), 3 * estimate.u)
        self.assertTrue(found.solution.consistent)
        share = visit.setting.learned.of("A2 left lower arm cam")
        self.assertLess(abs(share.share - 0.93), 3 * share.u)
        toe = visit.setting.learned.toe_of("A2 right lower arm cam")
        self.assertLess(toe.u, 0.7)

    def test_what_was_learned_on_a_vehicle_is_shown_with_its_visit_counts_first_there_and_can_be_thrown_away(self):
        vehicle = self.empty.vehicle
        family = next(one.family for one in Visit(self.empty).hardware)
        others = vehicle.fleet.vehicles.exclude(pk=vehicle.pk).filter(make=vehicle.make, model=vehicle.model).first()
        visits = [open_job(self.person, of, self.in_hand.kit, timezone.now()) for of in (vehicle, others)]
        rows = [Taught.objects.create(job=job, make=vehicle.make, model=vehicle.model, family=family, share=share, u=0.05)
                for job, share in zip(visits, (0.8, 1.3), strict=True)]  # fmt: skip
        own = open_job(self.person, vehicle, self.in_hand.kit, timezone.now())
        self.assertEqual(
            tuple(own.layout["learned"][family]), (0.8, 0.05), "its own counts first, and as well as it is known"
        )
        self.client.force_login(self.person)
        page = self.client.get(f"/jobs/{own.pk}/learned/")
        self.assertContains(page, "0.80 times what the dimensions say")
        self.assertContains(page, "this vehicle")
        self.client.post(f"/jobs/{own.pk}/learned/", {"taught": rows[0].pk, "aside": "yes"})
        self.assertNotIn(family, Job.objects.get(pk=own.pk).layout.get("learned", {}))
        later = open_job(self.person, vehicle, self.in_hand.kit, timezone.now())
        self.assertEqual(later.layout["learned"][family][0], 1.3)
        self.assertGreater(later.layout["learned"][family][1], 0.1, "another vehicle of the model says less")

    def test_what_a_visit_leaves_in_place_is_where_the_next_one_starts(self):
        vehicle = Job.objects.get(vehicle__unit="Loan car 7").vehicle
        job = open_job(self.person, vehicle, Job.objects.get(vehicle__unit="Loan car 7").kit, timezone.now())
        plate = "A1 left upper front mounting plate"
        self.save((uuid7(), "before/camber/1/left/deg", "-1.2"), job=job)
        seal_phase(self.person, job, Phase.BEFORE)
        self.turn(plate, to="3", job=job)
        hand_over(self.person, job)
        following = open_job(self.person, vehicle, job.kit, timezone.now())
        visit = Visit(following)
        self.assertEqual(next(one for one in visit.hardware if one.id == plate).in_place, "3")
        self.assertEqual(following.layout["since"], {plate: timezone.localdate().isoformat()})
        self.assertIn("axles/1/left/camber_deg", visit.snapshot.layout.last)
        # The next visit asks about an angle that is far from what was left.
        self.save((uuid7(), "before/camber/1/left/deg", "1.9"), job=following)
        self.client.force_login(self.person)
        read = self.client.get(f"/jobs/{following.pk}/read/")
        self.assertContains(read, "It was left at")

    def test_a_move_is_taken_back_once_and_only_the_last_of_its_adjuster(self):
        first, second = self.turn(by="2"), self.turn(by="1")
        with self.assertRaisesRegex(MoveError, "Only the last"):
            undo_move(self.person, self.in_hand, uuid7(), first.pk)
        taken_back = undo_move(self.person, self.in_hand, uuid7(), second.pk)
        with self.assertRaisesRegex(MoveError, "Only the last"):
            undo_move(self.person, self.in_hand, uuid7(), taken_back.pk)
        setting = Visit(self.in_hand).setting
        self.assertEqual(setting.positions, {"A2 left tie rod": 2.0})
        self.assertIn("turned back", Visit(self.in_hand).moves_said()[-1][0])
        with self.assertRaises(MoveError):
            undo_move(self.person, self.in_hand, uuid7(), second.pk)

    def test_a_mistyped_move_counts_as_never_made_and_what_was_read_stays_valid(self):
        self.client.force_login(self.person)
        before = Visit(self.in_hand).setting.held()
        self.turn(by="-1")
        mistyped = self.turn(by="2")
        self.assertNotEqual(Visit(self.in_hand).setting.held(), before)
        strike_move(self.person, self.in_hand, uuid7(), mistyped.pk)
        self.assertEqual(Visit(self.in_hand).setting.positions, {"A2 left tie rod": -1.0})
        (first,) = Visit(self.in_hand).journal.moves
        strike_move(self.person, self.in_hand, uuid7(), first.pk)
        after = Visit(self.in_hand)
        self.assertEqual((after.journal.moves, after.setting.positions, after.setting.held()), ([], {}, before))
        self.assertEqual(self.turn(by="1").start, "0")
        page = self.client.get(f"/jobs/{self.in_hand.pk}/history/").content.decode()
        self.assertIn("struck as mistyped and never made", page)
        with self.assertRaisesRegex(MoveError, "Only the last"):
            strike_move(self.person, self.in_hand, uuid7(), first.pk)

    def test_a_spoiled_move_that_strikes_one_of_another_visit_breaks_no_page(self):
        self.client.force_login(self.person)
        elsewhere = Move.objects.exclude(job=self.in_hand).filter(struck_by=None).first()
        Move.objects.filter(pk=self.turn().pk).update(strikes=elsewhere)
        for stage in ("set", "history"):
            self.assertEqual(self.client.get(f"/jobs/{self.in_hand.pk}/{stage}/").status_code, 200, stage)
        self.assertEqual(Visit(self.in_hand).journal.moves, [])

    def test_how_much_is_typed_without_a_sign_and_the_way_is_pressed_in_the_words_of_the_advice(self):
        self.client.force_login(self.person)
        page = self.client.get(f"/jobs/{self.in_hand.pk}/set/")
        hand = page.context["in_hand"]
        advised, other = hand.ways
        self.assertEqual((advised.advised, advised.word, other.advised), (True, hand.how.way, False))
        self.assertEqual({advised.word, other.word}, {"clockwise", "anticlockwise"})
        sent = {"adjuster": hand.id, "key": uuid7(), "amount": "2", "way": other.code}
        address = f"/jobs/{self.in_hand.pk}/moves/"
        refused = self.client.post(address, sent | {"amount": "-2", "key": uuid7()}, follow=True)
        self.assertContains(refused, "without a sign")
        self.assertEqual((refused.context["in_hand"].amount, refused.context["in_hand"].ways[1].advised), ("-2", True))
        self.client.post(address, sent)
        (said, _), *more = Visit(self.in_hand).moves_said()
        self.assertIn(f"2 flats {other.word}", said)
        self.assertEqual(more, [])

    def test_after_a_move_its_scales_come_first_or_a_person_says_why_not(self):
        self.client.force_login(self.person)
        address = f"/jobs/{self.in_hand.pk}/set/"
        self.assertFalse(self.client.get(address).context["reads_first"])
        self.turn(by="1")
        waiting = self.client.get(address).context
        self.assertTrue(waiting["reads_first"])
        self.assertIsNone(waiting["in_hand"])
        self.assertTrue(waiting["rereads"])
        self.assertEqual(waiting["setup"].heads, 2, "where the scales of the axle in hand are read")
        self.save((uuid7(), "aim/unread", "the far flag is blocked"), job=self.in_hand)
        on = self.client.get(address).context
        self.assertIsNotNone(on["in_hand"])
        self.assertEqual(on["unread"], "the far flag is blocked")
        self.turn(by="1")
        self.assertIsNone(self.client.get(address).context["in_hand"], "said of one move, not of the next")

    def test_what_is_found_in_place_counts_and_what_cannot_be_in_place_is_refused(self):
        job = Job.objects.get(vehicle__unit="Loan car 7")
        name = "A1 left upper front mounting plate"
        self.assertEqual(self.save((uuid7(), f"found/{name}", "12"), job=job), ["refused"])
        self.assertEqual(self.save((uuid7(), f"found/{name}", "3"), job=job), ["saved"])
        move = self.turn(name, to="5", job=job)
        self.assertEqual((move.start, move.end), ("3", "5"))
        self.assertAlmostEqual(move.effect["axles/1/left/camber_deg"], 0.225)

    def test_a_seat_in_a_slot_ends_where_its_slot_ends(self):
        seat = {"kind": "slotted_seat", "axle": 2, "side": "left", "lever_mm": 1000.0, "reach_mm": 6.0}
        set_adjusters(self.person, self.empty.vehicle, [seat])
        (one,) = Visit(Job.objects.get(pk=self.empty.pk)).hardware
        self.assertEqual(self.turn(one.id, "6", job=self.empty).end, "6")
        with self.assertRaisesRegex(MoveError, "goes from -6 to 6"):
            self.turn(one.id, "0.5", job=self.empty)

    def test_what_was_emptied_while_setting_was_mistyped_and_the_reading_before_it_stands(self):
        ground = Visit(self.in_hand).setting.held()["camber/1/left"]["deg"]
        for typed, stands in (("2.5", 2.5), ("", ground)):
            self.assertEqual(self.save((uuid7(), "set/camber/1/left/deg", typed), job=self.in_hand), ["saved"])
            self.assertAlmostEqual(Visit(self.in_hand).setting.held()["camber/1/left"]["deg"], stands)

    def test_a_lifted_wheels_readings_are_frozen_and_only_their_change_is_carried_over(self):
        slot = "camber/1/left/deg"
        ground = Visit(self.in_hand).readings.values(Phase.BEFORE)["camber/1/left"]["deg"]
        lift_wheel(self.person, self.in_hand)
        self.assertEqual(self.save((uuid7(), f"air/{slot}", "2.5"), job=self.in_hand), ["saved"])
        self.assertAlmostEqual(Visit(self.in_hand).setting.held()["camber/1/left"]["deg"], ground)
        self.assertEqual(self.save((uuid7(), f"air/{slot}", "2.2"), job=self.in_hand), ["saved"])
        lift_wheel(self.person, self.in_hand)
        self.assertEqual(put_down(self.person, self.in_hand), 1)
        setting = Visit(self.in_hand).setting
        self.assertIsNone(setting.lifted)
        self.assertAlmostEqual(setting.held()["camber/1/left"]["deg"], ground - 0.3, places=2)
        self.assertEqual(put_down(self.person, self.in_hand), 0)
        lift_wheel(self.person, self.in_hand)
        self.assertEqual(
            Visit(self.in_hand).setting.in_the_air, {}, "what was read in the air before was another lift's"
        )

    def test_what_is_left_alone_for_a_reason_is_not_advised_and_is_on_the_record(self):
        name = Visit(self.in_hand).setting.in_hand().hardware.id
        self.assertEqual(self.save((uuid7(), f"skip/{name}", "seized, needs heat"), job=self.in_hand), ["saved"])
        setting = Visit(self.in_hand).setting
        self.assertNotIn(name, [step.hardware.id for step in setting.advice.steps])
        self.assertEqual(setting.decisions.skipped, {name: "seized, needs heat"})

    def test_nothing_is_turned_after_the_after_is_sealed(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        read_all(self.person, self.in_hand, "after")
        seal_phase(self.person, self.in_hand, Phase.AFTER)
        with self.assertRaisesRegex(MoveError, "after is saved and sealed"):
            record_move(self.person, self.in_hand, uuid7(), "A2 left tie rod", by="1")

    def test_tilted_ground_is_taken_off_camber_while_adjusting_too(self):
        readings = [{"phase": "before", "kind": "ground", "roll_deg": 1.0, "pitch_deg": 0.0},
                    {"phase": "before", "kind": "camber", "axle": 1, "side": "left", "deg": -1.0}]  # fmt: skip
        document = {
            "format": "rectaxis-job",
            "version": 1,
            "vehicle": self.empty.layout["vehicle"],
            "readings": readings,
        }
        visit = Visit(read_in_job_file(self.person, self.empty.vehicle, json.dumps(document).encode()))
        for phase in ("before", "set"):
            self.assertAlmostEqual(visit.results(phase).value("axles/1/left/camber_deg"), 0.0, places=9)

    def test_what_adjusts_on_a_vehicle_reaches_its_visits_on_which_nothing_was_moved_yet(self):
        vehicle = self.empty.vehicle
        rods = list(vehicle.layout["adjusters"])
        moved, longer = (open_job(self.person, vehicle, self.in_hand.kit, timezone.now()) for _ in range(2))
        record_move(self.person, moved, uuid7(), "A2 left tie rod", by="1")
        longer.layout["vehicle"]["axles"][1]["position_mm"] = 9000
        longer.save()
        set_adjusters(self.person, vehicle, rods[:1])
        left = [len(Job.objects.get(pk=job.pk).layout["adjusters"]) for job in (self.empty, moved, longer)]
        self.assertEqual(left, [1, len(rods), len(rods)])

    def test_the_thrust_axle_comes_first(self):
        axles = [step.hardware.axle for step in Visit(self.in_hand).setting.advice.steps]
        self.assertEqual(axles, sorted(axles, reverse=True))
        self.assertEqual(set(axles), {1, 2})

    def test_a_turn_is_recorded_once_and_within_reason(self):
        key = uuid7()
        for _ in range(2):
            record_move(self.person, self.in_hand, key, "A2 left tie rod", by="2")
        with self.assertRaises(KeyUsedError):
            record_move(self.person, self.in_hand, key, "A2 right tie rod", by="2")
        self.assertEqual(len(Visit(self.in_hand).journal.moves), 1)
        for adjuster, by in (("A2 left tie rod", "0"), ("A2 left tie rod", "61"), ("A2 left tie rod", "nan"),
                             ("A2 left tie rod", "0.3"), ("A2 left tie rod", "much"), ("A3 left tie rod", "1")):  # fmt: skip
            with self.assertRaises(MoveError):
                self.turn(adjuster, by)
