"""The technician's days on the demo's islands: what is due, plans that are made and used, calendars."""

import datetime as dt
import json
from unittest.mock import patch

from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from planning.checker import check
from planning.durations import Durations
from planning.model import Days
from rectaxis.common.days import start_of
from rectaxis.demo.business import make_van
from rectaxis.demo.rounds import make_rounds
from rectaxis.door.actions.ask_for_visit import ask_for_visit
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.record.models import CLOSED, Event, Job
from rectaxis.rounds import tasks
from rectaxis.rounds.actions.ask_for_plan import PlanError, ask_for_plan, drop_plan
from rectaxis.rounds.actions.say_place import PlaceError, read_roads, say_sailing
from rectaxis.rounds.actions.tell import tell
from rectaxis.rounds.actions.use_plan import use_plan
from rectaxis.rounds.actions.want_visit import set_aside, take_due
from rectaxis.rounds.board import monday_of
from rectaxis.rounds.due import by_yard, due_of
from rectaxis.rounds.gather import gathered, wall
from rectaxis.rounds.models import Absence, Call, Crew, Ferry, Place, Road, Run
from rectaxis.rounds.took import Asked, kind_of, taught
from tests.demo import put_out_the_demo_and


def quickly(run):
    """Let the worker make it, in few steps."""
    real = tasks.plan_of
    with (
        patch.object(tasks, "plan_of", lambda days, **_: real(days, seconds=30, steps=60)),
        patch.object(tasks, "what_more_brings", lambda *_, **__: []),
        patch.object(tasks, "close_old_connections"),
    ):
        tasks.make_plan(run=str(run.pk))
    run.refresh_from_db()
    return run


def next_monday():
    """A week that today is not in: what the demo has today stays out of it."""
    today = timezone.localdate()
    return today + dt.timedelta(days=7 - today.weekday())


def planned_jobs():
    return Job.objects.filter(status="planned", planned_at__gte=start_of(next_monday())).order_by("planned_at")


def said(answer):
    """A page's text, however its lines are broken."""
    return " ".join(answer.content.decode().split())


class InTheDemo(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo_and("rounds", lambda: make_rounds(User.objects.get(username="jonah"), next_monday()))
        cls.jonah, cls.mara = (User.objects.get(username=name) for name in ("jonah", "mara"))
        cls.first = min(wall(job.planned_at).date() for job in planned_jobs())
        cls.brin = Crew.objects.get(person__username="brin")
        cls.van = make_van(Fleet.objects.get(name="Harbour Post"), 77)

    def plan(self):
        return quickly(ask_for_plan(self.jonah, self.first, self.first + dt.timedelta(days=4)))


class Due(InTheDemo):
    def test_what_a_fleet_asks_for_is_proposed_until_it_is_taken_and_again_once_it_is_set_aside(self):
        van = self.van
        ask_for_visit(User.objects.get(username="post"), van, "It wanders", timezone.localdate() + dt.timedelta(days=5))

        def proposed():
            return [one for one in due_of(van.fleet, timezone.localdate()) if one.vehicle == van]

        (one,) = proposed()
        self.assertEqual((one.source, one.urgency), ("asked", "promised"))
        self.assertIn("The fleet asks: It wanders", one.why)
        calls = [take_due(self.jonah, [one])[0].pk for _ in range(2)]
        self.assertEqual(len(set(calls)), 1)
        self.assertEqual(proposed(), [])
        set_aside(self.jonah, Call.objects.get(pk=calls[0]))
        self.assertEqual(len(proposed()), 1)
        self.assertEqual(take_due(self.jonah, [one])[0].pk, calls[0])

    def test_the_yard_with_what_matters_most_comes_first_and_nothing_is_booked(self):
        before = Job.objects.count()
        ask_for_visit(User.objects.get(username="post"), self.van, "It wanders", timezone.localdate())
        yards = by_yard(timezone.localdate())
        self.assertEqual(yards[0].yard, "Skerry Quay")
        self.client.force_login(self.jonah)
        self.assertIn("Nothing is booked until you take it", said(self.client.get(reverse("rounds:due"))))
        self.assertEqual(Job.objects.count(), before)


class Plans(InTheDemo):
    def test_what_the_database_holds_becomes_a_plan_that_can_be_carried_out_and_is_used_once(self):
        tray = Call.objects.filter(job=None, set_aside=False).count()
        run = self.plan()
        self.assertEqual((run.status, run.share), ("ready", 100))
        self.assertEqual(check(run.days, run.plan), [])
        used = use_plan(self.jonah, run)
        self.assertEqual(used.made + len(run.plan["left_out"]), tray)
        again = use_plan(self.jonah, run)
        self.assertEqual((again.made, again.moved), (0, 0))
        for out in run.plan["turns"]:
            for stop in out["stops"]:
                kind, _, key = stop["visit"].partition("/")
                job = Job.objects.get(pk=key) if kind == "job" else Call.objects.get(pk=key).job
                self.assertEqual(job.planned_at, dt.datetime.fromisoformat(stop["begins"]))
                self.assertEqual(str(job.technician_id), out["technician"])
                self.assertEqual(job.call.why, stop["why"])

    def test_a_visit_that_has_begun_meanwhile_stays_where_it_is(self):
        run, job = self.plan(), planned_jobs().first()
        Job.objects.filter(pk=job.pk).update(status="open", planned_at=timezone.now())
        was = Job.objects.get(pk=job.pk).planned_at
        self.assertEqual(use_plan(self.jonah, run).left, 1)
        self.assertEqual(Job.objects.get(pk=job.pk).planned_at, was)

    def test_a_plan_that_was_dropped_while_it_was_made_stays_dropped(self):
        run = ask_for_plan(self.jonah, self.first, self.first)
        drop_plan(self.jonah, run)
        self.assertEqual(quickly(run).status, "dropped")
        with self.assertRaises(PlanError):
            use_plan(self.jonah, run)

    def test_what_a_fleet_asked_for_is_answered_with_the_day(self):
        van = self.van
        wish = ask_for_visit(User.objects.get(username="post"), van, "It wanders")
        take_due(self.jonah, [one for one in due_of(van.fleet, timezone.localdate()) if one.key == str(wish.pk)])
        use_plan(self.jonah, self.plan())
        wish.refresh_from_db()
        self.assertIn(
            f"A visit is planned on {wall(Job.objects.filter(vehicle=van).latest('planned_at').planned_at):%-d %B %Y}",
            wish.settled,
        )

    def test_a_cancelled_ferry_and_an_unknown_yard_are_said(self):
        for ferry in Ferry.objects.filter(target__name="Stack port"):
            for departs in ferry.departs:
                for number in range(7):
                    day = self.first + dt.timedelta(days=number)
                    if day.weekday() in ferry.days:
                        say_sailing(self.jonah, ferry, day, departs, cancelled=True)
        Place.objects.get(name="Pier Head").delete()
        run = self.plan()
        said = json.dumps(run.plan["left_out"])
        self.assertIn("is cancelled", said)
        self.assertIn("nobody has said where Pier Head lies", json.dumps(run.unplaced))
        self.client.force_login(self.jonah)
        self.assertContains(
            self.client.get(reverse("rounds:run", args=[run.pk])), "nobody has said where Pier Head lies"
        )

    def test_a_days_sheet_has_what_is_under_way_and_what_cannot_be_placed_with_the_reason(self):
        use_plan(self.jonah, self.plan())
        crew = Crew.objects.get(person=self.mara)
        mine = [
            job for job in planned_jobs() if job.technician == self.mara and wall(job.planned_at).date() == self.first
        ]
        begun, lost, *_ = mine
        Job.objects.filter(pk=begun.pk).update(status=Job.Status.OPEN)
        Place.objects.filter(fleet=lost.vehicle.fleet, name=lost.vehicle.stands_at).delete()
        self.client.force_login(self.jonah)
        page = self.client.get(reverse("rounds:day"), {"day": f"{self.first}"}).content.decode()
        sheet = page.split(f"<h2>{crew}</h2>")[1].split("</section>")[0]
        for job in mine:
            self.assertIn(reverse("stages:job", args=[job.pk]), sheet, job.vehicle.unit)
        self.assertIn("under way", sheet)
        self.assertIn(f"{lost.vehicle.unit}: nobody has said where {lost.vehicle.stands_at} lies.", sheet)

    def test_a_visit_on_a_day_that_nobody_works_stands_in_its_week(self):
        job, saturday = planned_jobs()[0], monday_of(self.first) + dt.timedelta(days=5)
        self.client.force_login(self.jonah)
        page = said(self.client.get(reverse("rounds:week"), {"day": f"{saturday}"}))
        self.assertNotIn(f"{saturday:%a} {saturday.day}", page)
        Job.objects.filter(pk=job.pk).update(planned_at=start_of(saturday) + dt.timedelta(hours=10))
        page = said(self.client.get(reverse("rounds:week"), {"day": f"{saturday}"}))
        self.assertIn(f"{saturday:%a} {saturday.day}", page)
        self.assertIn(f'data-block="job/{job.pk}"', page)

    def test_plans_of_days_that_are_long_over_go_and_their_visits_stay(self):
        old, new = (ask_for_plan(self.jonah, self.first, self.first) for _ in range(2))
        Run.objects.filter(pk=old.pk).update(last=timezone.localdate() - tasks.KEPT - dt.timedelta(days=1))
        visits = Job.objects.count()
        tasks.forget_plans()
        self.assertEqual([*Run.objects.filter(pk__in=(old.pk, new.pk))], [new])
        self.assertEqual(Job.objects.count(), visits)

    def test_days_that_are_over_and_days_without_anybody_are_refused_in_words(self):
        yesterday = timezone.localdate() - dt.timedelta(days=1)
        with self.assertRaisesRegex(PlanError, "over"):
            ask_for_plan(self.jonah, yesterday, yesterday)
        Absence.objects.all().delete()
        Crew.objects.all().delete()
        with self.assertRaisesRegex(PlanError, "Nobody has working hours"):
            ask_for_plan(self.jonah, self.first, self.first)

    def test_who_was_told_a_time_keeps_it_and_who_is_told_otherwise_is_listed(self):
        told = list(planned_jobs()[:4])
        tell(self.jonah, told)
        run = self.plan()
        begins = {
            stop["visit"]: dt.datetime.fromisoformat(stop["begins"])
            for out in run.plan["turns"]
            for stop in out["stops"]
        }
        for job in told:
            self.assertLessEqual(abs((begins[f"job/{job.pk}"] - job.planned_at).total_seconds()), 15 * 60)
        absent = Absence.objects.create(
            crew=self.brin, starts=timezone.now(), ends=timezone.now() + dt.timedelta(days=14)
        )
        hers = [job for job in told if job.technician == self.brin.person] or [told[0]]
        run = self.plan()
        self.assertTrue(absent.pk)
        self.assertTrue(
            any(one["told"] for one in run.changes) or all(job.technician != self.brin.person for job in hers)
        )


class InTheMiddle(InTheDemo):
    def test_the_rest_of_a_day_is_planned_from_where_everybody_is_and_who_was_told_is_listed(self):
        jobs = [
            job
            for job in planned_jobs()
            if wall(job.planned_at).date() == self.first and job.technician == self.brin.person
        ]
        tell(self.jonah, jobs)
        now = jobs[0].planned_at + dt.timedelta(minutes=30)
        Job.objects.filter(pk=jobs[0].pk).update(status="open")
        late = now + dt.timedelta(hours=2)
        found = gathered([self.first], now, again=True, late={jobs[0].pk: late})
        her = next(man for man in found.days.technicians if man.key == str(self.brin.person_id))
        yard = Place.objects.get(fleet=jobs[0].vehicle.fleet, name=jobs[0].vehicle.stands_at)
        self.assertEqual((her.standing[0].place, her.standing[0].free), (str(yard.pk), wall(late)))
        self.assertNotIn(f"job/{jobs[0].pk}", [visit.key for visit in found.days.visits])
        run = Run.objects.create(
            by=self.jonah,
            first=self.first,
            last=self.first,
            days=json.loads(found.days.to_json()),
            again=True,
            seconds=1,
        )
        quickly(run)
        self.assertEqual(check(run.days, run.plan), [])
        self.assertTrue([one for one in run.changes if one["told"]])
        self.client.force_login(self.jonah)
        self.assertIn("Tell them.", said(self.client.get(reverse("rounds:run", args=[run.pk]))))


class FarAway(InTheDemo):
    def test_days_at_the_end_of_all_calendars_break_nothing(self):
        self.client.force_login(self.jonah)
        job = planned_jobs().first()
        for last in ("9999-12-31", "0001-01-01"):
            where = {"technician": str(self.brin.pk), "day": last, "time": "09:00"}
            for answer in (
                self.client.get(reverse("rounds:week"), {"day": last}), self.client.get(reverse("rounds:day"), {"day": last}),
                self.client.get(reverse("rounds:move", args=[f"job/{job.pk}"]), where),
                self.client.post(reverse("rounds:move", args=[f"job/{job.pk}"]), where),
                self.client.post(reverse("rounds:plan"), {"first": last, "last": last}),
                self.client.post(reverse("rounds:away", args=[self.brin.pk]), {"starts": f"{last} 08:00", "ends": f"{last} 09:00"}),
                self.client.post(reverse("rounds:give-up", args=[f"job/{job.pk}"])),
            ):  # fmt: skip
                self.assertLess(answer.status_code, 500)
        self.assertEqual(Absence.objects.filter(starts__year=9999).count(), 0)
        Call.objects.filter(job=job).delete()
        self.assertEqual(self.client.post(reverse("rounds:give-up", args=[f"job/{job.pk}"])).status_code, 302)


class Told(InTheDemo):
    def test_roads_come_in_whole_or_not_at_all(self):
        Road.objects.all().delete()
        with self.assertRaisesRegex(PlaceError, "Line 2: there is no place Nowhere"):
            read_roads(self.jonah, "Skerry Quay,Pier Head,25\nNowhere,Pier Head,5")
        with self.assertRaisesRegex(PlaceError, "Line 1: expected"):
            read_roads(self.jonah, "Skerry Quay,Pier Head,soon")
        self.assertEqual(Road.objects.count(), 0)
        self.assertEqual(read_roads(self.jonah, "From,To,Minutes\nSkerry Quay,Pier Head,25\n\n"), 1)
        days = gathered([self.first], timezone.now()).days
        self.assertIn(25, [road.minutes for road in days.roads])

    def test_a_road_to_a_name_that_two_fleets_have_leads_to_both_their_yards(self):
        Road.objects.all().delete()
        read_roads(self.jonah, "Holm port,Upper Holm,7")
        both = set(Place.objects.filter(name="Upper Holm").values_list("pk", flat=True))
        self.assertEqual(len(both), 2)
        self.assertEqual(set(Road.objects.values_list("target", flat=True)), both)

    def test_a_visit_wished_by_somebody_without_hours_is_not_given_to_another_in_silence(self):
        call = Call.objects.get(vehicle__unit="Loan car 5", job=None)
        Call.objects.filter(pk=call.pk).update(only=self.jonah)
        found = gathered([self.first], timezone.now())
        self.assertNotIn(call.key, [visit.key for visit in found.days.visits])
        self.assertEqual(found.unplaced, {call.key: "Loan car 5: only Jonah Wick may do it, who has no working hours."})

    def test_how_long_visits_take_is_learned_from_when_they_were_begun_and_handed_over(self):
        Event.objects.all().delete()
        before = Durations()
        jobs = list(Job.objects.filter(status="done").select_related("vehicle__fleet", "kit")[:12])
        for job in jobs:
            for number, (what, at) in enumerate(
                (("open", job.planned_at), ("done", job.planned_at + dt.timedelta(minutes=200)))
            ):
                event = Event.objects.create(job=job, by=self.mara, what=what, sequence=job.added + number + 1)
                Event.objects.filter(pk=event.pk).update(at=at)
        asked = kind_of(Asked(jobs[0].vehicle, jobs[0].kit.code, "all", jobs[0].technician_id))
        self.assertGreater(taught().of(asked).minutes, 1.2 * before.of(asked).minutes)

    def test_visits_of_old_count_as_whole_and_quick_ones_apart(self):
        past = Job.objects.filter(status__in=CLOSED)
        job = past.exclude(kit=None).latest("planned_at")

        def learned(of, **rig):
            # What was taught is kept until one more is done.
            newest = Event.objects.filter(what__in=CLOSED).latest("pk")
            Event.objects.filter(pk=newest.pk).update(at=newest.at + dt.timedelta(seconds=1))
            for one in past:
                Job.objects.filter(pk=one.pk).update(rig={**{k: v for k, v in one.rig.items() if k != "scope"}, **rig})
            return taught().of(kind_of(Asked(job.vehicle, job.kit.code, of, job.technician_id))).learned_from

        self.assertEqual((learned("all", scope="toe"), learned("toe", scope="toe") > 0), (0, True))
        self.assertEqual((learned("toe"), learned("all") > 0), (0, True))

    def test_a_departure_that_is_cancelled_is_said_on_the_ferrys_page_and_a_wrong_day_beside_its_field(self):
        ferry = Ferry.objects.first()
        self.client.force_login(self.jonah)
        sailing, page = (reverse(f"rounds:{name}", args=[ferry.pk]) for name in ("sailing", "ferry"))
        wrong = self.client.post(sailing, {"day": "2026-02-30", "departs": "7 o'clock", "booked": "0"})
        self.assertContains(wrong, "Enter a valid date", status_code=422)
        self.assertContains(wrong, "7 o&#x27;clock", status_code=422)
        when = {"day": f"{self.first}", "departs": f"{ferry.departs[0]:%H:%M}", "booked": "0", "cancelled": "on"}
        answer = self.client.post(sailing, when, follow=True)
        self.assertRedirects(answer, page)
        self.assertContains(answer, "is cancelled. Plan again what used it.")

    def test_parts_that_the_van_does_not_have_are_named(self):
        Call.objects.filter(vehicle__unit="Van 14", job=None).update(needs={"spring plate": 9})
        self.assertIn("likely to need", " ".join(self.plan().plan["notes"]))

    def test_a_van_carries_what_its_kits_can_judge(self):
        Crew.objects.get(person=self.mara).kits.clear()
        self.brin.kits.clear()
        run = self.plan()
        self.assertEqual({one["code"] for one in run.plan["left_out"]}, {"kit"})
        self.assertEqual(check(run.days, run.plan), [])
        self.assertIsInstance(Days.from_json(json.dumps(run.days)), Days)


class Newcomer(TestCase):
    def test_an_empty_database_says_what_to_do_first(self):
        person = User.objects.create_user("solo", password="x", role=User.Role.TECHNICIAN)
        self.client.force_login(person)
        self.assertIn("Nobody has working hours yet", said(self.client.get(reverse("rounds:week"))))
        self.assertIn("add where you live first", said(self.client.get(reverse("rounds:places"))))
        self.assertIn("Add where they live", said(self.client.get(reverse("rounds:crew", args=[person.pk]))))
        for name in ("day", "due", "to-tell", "want", "new-place", "new-ferry", "roads"):
            self.assertEqual(self.client.get(reverse(f"rounds:{name}")).status_code, 200, name)
        self.client.post(
            reverse("rounds:new-place"),
            {"kind": "home", "name": "Home", "north": "50", "east": "-30", "days": ["0", "1"], "unpack": "0"},
        )
        home = Place.objects.get()
        answer = self.client.post(reverse("rounds:crew", args=[person.pk]), {
            "home": str(home.pk), "starts": "08:00", "ends": "16:00", "days": ["0", "1", "2"], "pause": "30", "pause_from": "11:00", "pause_until": "13:00",
            "stock": "shim 0.5: 4",
        })  # fmt: skip
        self.assertEqual(answer.status_code, 302, answer.content.decode()[-3000:])
        self.assertEqual(Crew.objects.get().stock, {"shim 0.5": 4})
        self.assertIn("Plan this week", said(self.client.get(reverse("rounds:week"))))
