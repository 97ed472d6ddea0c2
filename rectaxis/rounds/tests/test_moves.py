"""Visits moved by hand: the others give way, a wish binds the next plan, and a move is taken back at a press."""

import datetime as dt

from django.urls import reverse
from django.utils import timezone

from rectaxis.kits.models import Kit
from rectaxis.record.models import Job
from rectaxis.rounds.actions.move_visit import back_to_tray, move_visit, release
from rectaxis.rounds.actions.use_plan import use_plan
from rectaxis.rounds.actions.want_visit import CallError, add_call
from rectaxis.rounds.gather import gathered, wall
from rectaxis.rounds.models import Call, Place
from rectaxis.rounds.tests.test_days import InTheDemo, planned_jobs, said


class OnBrinsDay(InTheDemo):
    def setUp(self):
        jobs = list(planned_jobs().filter(technician=self.brin.person))
        self.day = wall(jobs[0].planned_at).date()
        self.jobs = [job for job in jobs if wall(job.planned_at).date() == self.day]


class ByHand(OnBrinsDay):
    def test_the_others_give_way_as_it_was_shown(self):
        call = Call.objects.get(vehicle__unit="Loan car 5", job=None)
        Place.objects.filter(fleet=call.vehicle.fleet, name="Pier Head").update(
            island="Holm", north=50.13, east=-29.886
        )
        Call.objects.filter(pk=call.pk).update(kit=self.jobs[-1].kit)
        at = wall(self.jobs[-1].planned_at)
        self.client.force_login(self.jonah)
        where = {"technician": str(self.brin.pk), "day": f"{self.day}", "time": f"{at:%H:%M}"}
        shown = self.client.get(
            reverse("rounds:move", args=[call.key]), where, headers={"HX-Request": "true"}
        ).content.decode()
        self.assertIn(f"{self.jobs[-1].vehicle.unit} ", shown)
        self.assertIn(f"instead of {at:%-H:%M}", shown)
        answer = self.client.post(reverse("rounds:move", args=[call.key]), where)
        self.assertEqual(answer.status_code, 302)
        self.jobs[-1].refresh_from_db()
        self.assertIn(f"begins at {wall(self.jobs[-1].planned_at):%-H:%M} instead of {at:%-H:%M}", shown)

    def test_a_want_without_a_kit_gets_the_first_of_the_van_that_can_judge_it(self):
        call = Call.objects.get(vehicle__unit="Loan car 5", job=None)
        Call.objects.filter(pk=call.pk).update(kit=None)
        self.brin.kits.set(Kit.objects.filter(retired=False))
        days = gathered([self.day], timezone.now()).days
        able = next(visit.kits for visit in days.visits if visit.key == call.key)
        kits = list(self.brin.kits.all())
        self.assertNotIn(str(kits[0].pk), able, "the first in the van cannot")
        begins = dt.datetime.combine(self.day + dt.timedelta(days=1), dt.time(9))
        job, _ = move_visit(self.jonah, Call.objects.get(pk=call.pk), self.brin, begins)
        self.assertEqual(job.kit, next(kit for kit in kits if str(kit.pk) in able))

    def test_what_a_person_set_binds_the_next_plan_until_it_is_released(self):
        job = self.jobs[-1]
        later = dt.datetime.combine(self.day + dt.timedelta(days=1), dt.time(13, 5))
        moved, _ = move_visit(self.jonah, job, self.brin, later)
        at = moved.planned_at
        self.assertGreaterEqual(wall(at), later)
        use_plan(self.jonah, self.plan())
        moved.refresh_from_db()
        self.assertEqual((moved.planned_at, moved.technician), (at, self.brin.person))
        release(self.jonah, moved.call)
        self.assertFalse(Call.objects.get(job=moved).wished)

    def test_what_does_not_fit_is_said_and_stands_there_alone_if_a_person_wants_it(self):
        was = [job.planned_at for job in self.jobs[:-1]]
        late = dt.datetime.combine(self.day, dt.time(20))
        self.client.force_login(self.jonah)
        where = {"technician": str(self.brin.pk), "day": f"{self.day}", "time": "20:00"}
        shown = self.client.get(
            reverse("rounds:move", args=[f"job/{self.jobs[-1].pk}"]), where, headers={"HX-Request": "true"}
        )
        self.assertIn("It does not fit there", said(shown))
        job, _ = move_visit(self.jonah, self.jobs[-1], self.brin, late)
        self.assertEqual(wall(job.planned_at), late)
        self.assertEqual([Job.objects.get(pk=one.pk).planned_at for one in self.jobs[:-1]], was)

    def test_a_visit_may_be_moved_by_months(self):
        far = self.day + dt.timedelta(days=70)
        job, _ = move_visit(self.jonah, self.jobs[-1], self.brin, dt.datetime.combine(far, dt.time(9)))
        self.assertEqual(wall(job.planned_at), dt.datetime.combine(far, dt.time(9)))
        back, said_of = move_visit(
            self.jonah, Job.objects.get(pk=job.pk), self.brin, dt.datetime.combine(self.day, dt.time(15))
        )
        self.assertEqual(wall(back.planned_at).date(), self.day)
        self.assertNotIn("nobody has said", " ".join(said_of))

    def test_a_visit_that_is_begun_stays_and_one_that_is_not_goes_back_into_the_tray(self):
        Job.objects.filter(pk=self.jobs[0].pk).update(status="open")
        with self.assertRaisesRegex(CallError, "stays where it is"):
            move_visit(
                self.jonah, Job.objects.get(pk=self.jobs[0].pk), self.brin, dt.datetime.combine(self.day, dt.time(12))
            )
        call = back_to_tray(self.jonah, Job.objects.get(pk=self.jobs[1].pk))
        self.assertIsNone(Call.objects.get(pk=call.pk).job)
        self.assertFalse(Job.objects.filter(pk=self.jobs[1].pk).exists())

    def test_the_day_says_when_to_leave_and_by_which_ferry(self):
        self.client.force_login(self.brin.person)
        page = self.client.get(reverse("rounds:day"), {"day": f"{self.day}"})
        self.assertIn("Leave at <b>", said(page))
        self.assertIn("Ferry from Holm port to Stack port", said(page))
        self.assertContains(page, reverse("stages:job", args=[self.jobs[0].pk]))

    def test_a_want_that_cannot_be_is_refused_beside_its_field(self):
        self.client.force_login(self.jonah)
        van = self.van
        answer = self.client.post(
            reverse("rounds:want"), {"vehicle": str(van.pk), "urgency": "due", "scope": "all", "at": "09:00"}
        )
        self.assertContains(answer, "A time needs its day", status_code=422)
        with self.assertRaises(CallError):
            add_call(self.jonah, van, ready_from=dt.time(12), ready_until=dt.time(9))

    def test_of_a_visit_in_a_yard_that_nobody_has_placed_its_own_yard_is_named(self):
        call = Call.objects.create(vehicle=self.van, added_by=self.jonah, kit=self.jobs[0].kit)
        Place.objects.filter(kind="yard").exclude(pk__in=Place.objects.filter(name="Upper Holm")).delete()
        self.client.force_login(self.jonah)
        where = {"technician": str(self.brin.pk), "day": f"{self.day}", "time": "10:00"}
        shown = self.client.get(reverse("rounds:move", args=[call.key]), where, headers={"HX-Request": "true"})
        self.assertIn(f"{self.van.unit}: nobody has said where {self.van.stands_at} lies.", said(shown))


class TakenBack(OnBrinsDay):
    def stands(self):
        jobs = [*planned_jobs().order_by("pk").values_list("pk", "technician", "planned_at")]
        return jobs, [*Call.objects.order_by("pk").values_list("pk", "job", "only", "on", "at", "why")]

    def move(self, key, **where):
        self.client.force_login(self.jonah)
        answer = self.client.post(reverse("rounds:move", args=[key]), {"technician": str(self.brin.pk), **where})
        return said(self.client.get(answer.url))

    def test_a_move_and_what_gave_way_to_it_are_taken_back_once(self):
        before, last = self.stands(), self.jobs[-1]
        page = self.move(f"job/{last.pk}", day=f"{self.day}", time=f"{wall(self.jobs[0].planned_at):%H:%M}")
        self.assertIn(f"Undo: move {last.vehicle.unit} back", page)
        self.assertNotEqual(self.stands(), before)
        self.assertIn("is taken back", said(self.client.post(reverse("rounds:undo"), follow=True)))
        self.assertEqual(self.stands(), before)
        self.assertIn("no move to be taken back", said(self.client.post(reverse("rounds:undo"), follow=True)))
        self.assertNotIn("Undo: move", said(self.client.get(reverse("rounds:week"), {"day": f"{self.day}"})))

    def test_what_came_from_the_tray_goes_back_there_as_it_was_wished(self):
        call = Call.objects.get(vehicle__unit="Loan car 5", job=None)
        Call.objects.filter(pk=call.pk).update(kit=self.jobs[-1].kit, on=self.day)
        Place.objects.filter(fleet=call.vehicle.fleet, name="Pier Head").update(
            island="Holm", north=50.13, east=-29.886
        )
        before = self.stands()
        self.move(call.key, day=f"{self.day}", time="13:00")
        self.assertIsNotNone(Call.objects.get(pk=call.pk).job)
        moved = Call.objects.get(pk=call.pk).job
        Job.objects.filter(pk=moved.pk).update(planned_at=moved.planned_at + dt.timedelta(hours=1))
        kept = self.client.session["rounds-undo"]
        self.assertIn("was changed since", said(self.client.post(reverse("rounds:undo"), follow=True)))
        self.assertIsNotNone(Call.objects.get(pk=call.pk).job)
        Job.objects.filter(pk=moved.pk).update(planned_at=moved.planned_at)
        session = self.client.session
        session["rounds-undo"] = kept
        session.save()
        self.client.post(reverse("rounds:undo"))
        self.assertEqual(self.stands(), before)

    def test_what_was_changed_since_is_not_touched(self):
        last = self.jobs[-1]
        self.move(f"job/{last.pk}", day=f"{self.day}", time=f"{wall(self.jobs[0].planned_at):%H:%M}")
        Job.objects.filter(pk=last.pk).update(planned_at=timezone.now() + dt.timedelta(days=30))
        after = self.stands()
        page = said(self.client.post(reverse("rounds:undo"), follow=True))
        self.assertIn(f"{last.vehicle.unit} was changed since that move", page)
        self.assertEqual(self.stands(), after)
