"""What is planned again in the middle of a day, and what a visit moved by hand does to the others."""

import datetime as dt
import json
import unittest

from msgspec.structs import replace

from planning.checker import check
from planning.examples import random_days
from planning.model import Before, Hours, Place, Span, Standing
from planning.moved import laid_out, moved, why_not
from planning.plan import plan_of
from planning.replan import changes, replanned, to_tell
from planning.tests.made import ANN, HEADS, TUESDAY, YARD, at, days, done, planned, visit


class Replanned(unittest.TestCase):
    def test_after_an_overrun_few_are_told_another_time(self):
        for seed in range(4):
            these = random_days(seed, visits=16, short=False)
            plan = plan_of(these, seconds=30, steps=150)
            out = max(plan.turns, key=lambda one: len(one.stops))
            call = out.stops[0]
            ends = (call.ends + dt.timedelta(minutes=40)).replace(tzinfo=None)
            now = call.ends.replace(tzinfo=None)
            new, there = replanned(these, plan, now, {call.visit: ends}, seconds=30, steps=150)
            self.assertEqual(check(json.loads(there.to_json()), new.plain()), [], seed)
            changed = changes(there, new)
            self.assertEqual(len(changed), sum(one.before is not None for one in there.visits))
            self.assertLessEqual(len([*to_tell(changed)]), len(changed) / 3 + 1, [one.said for one in changed])

    def test_nothing_changes_where_all_goes_as_planned(self):
        these = random_days(7, visits=12)
        plan = plan_of(these, seconds=30, steps=150)
        now = plan.turns[0].stops[0].begins.replace(tzinfo=None)
        new, there = replanned(these, plan, now, seconds=30, steps=100)
        self.assertEqual([one.said for one in to_tell(changes(there, new))], [])

    def test_a_day_with_an_absence_in_its_middle_has_each_visit_once(self):
        away = replace(ANN, absences=(Span(at("12:00"), at("13:00")),))
        visits = (
            visit(name, before=Before("ann", at(when), told=True))
            for name, when in (("A", "09:00"), ("B", "14:00"), ("C", "12:15"))
        )
        plan = planned(days(*visits, crew=(away,)))
        self.assertEqual(done(plan).keys(), {"A", "B", "C"})

    def test_what_a_kits_battery_has_worked_today_is_gone(self):
        def done_after(minutes):
            standing = Standing(TUESDAY, "yard", at("10:00"), used={"heads": minutes})
            these = days(
                visit("A"), visit("B"), crew=(replace(ANN, standing=(standing,)),), kits=(replace(HEADS, battery=180),)
            )
            return len(done(planned(these)))

        self.assertEqual([done_after(minutes) for minutes in (0, 60, 61, 120, 121)], [2, 2, 1, 1, 0])

    def test_what_becomes_of_a_visit_is_said(self):
        these = days(visit("A", before=Before("ann", at("10:00"), told=True), ready=(Span(at("14:00"), at("16:00")),)))
        one = changes(these, planned(these))[0]
        self.assertEqual((one.code, one.said), ("time", "A moves from 10:00 to 14:00."))
        gone = replace(these, technicians=(replace(ANN, kits=()),))
        self.assertEqual(changes(gone, planned(gone))[0].code, "out")


class ByHand(unittest.TestCase):
    def test_moving_a_visit_says_what_becomes_of_the_others(self):
        told = Before("ann", at("10:00"), told=True)
        these = days(visit("A", before=Before("ann", at("09:00"))), visit("B", before=told), visit("C"))
        found = moved(these, "C", "ann", at("09:30"))
        self.assertTrue(found.possible)
        self.assertEqual(found.begins["C"], at("10:00"))
        self.assertEqual(found.begins["B"], at("11:00"))
        self.assertIn("B begins at 11:00 instead of 10:00, which somebody was told.", found.said)
        self.assertIn("as much time on the road and waiting", " ".join(found.said))

    def test_those_that_need_not_give_way_stay_where_they_are(self):
        gap = (visit("A", before=Before("ann", at("09:00"))), visit("B", before=Before("ann", at("13:00"))))
        last = visit("C", before=Before("ann", at("15:00")))
        stays = moved(days(*gap, last), "C", "ann", at("15:00"))
        self.assertEqual(stays.begins, {"A": at("09:00"), "B": at("13:00"), "C": at("15:00")})
        self.assertNotIn("instead", " ".join(stays.said))
        between = moved(days(*gap, last), "C", "ann", at("12:30"))
        self.assertEqual(between.begins, {"A": at("09:00"), "C": at("12:30"), "B": at("13:30")})

    def test_a_day_with_an_absence_in_its_middle_is_laid_out_and_moved_on_both_sides(self):
        away = replace(ANN, absences=(Span(at("12:00"), at("13:00")),))
        these = days(
            visit("A", before=Before("ann", at("09:00"))),
            visit("B", before=Before("ann", at("14:00"))),
            visit("C"),
            crew=(away,),
        )
        plan = laid_out(these, "ann", TUESDAY)
        self.assertEqual([[call.visit for call in out.stops] for out in plan.turns], [["A"], ["B"]])
        found = moved(these, "C", "ann", at("14:00"))
        self.assertTrue(found.possible, found.said)
        self.assertEqual(
            (found.begins["A"], found.begins["C"], found.begins["B"]), (at("09:00"), at("14:00"), at("15:00"))
        )

    def test_two_visits_to_a_vehicle_on_a_day_are_pointed_at(self):
        bo = replace(ANN, key="bo", name="Bo")
        there = visit("A", vehicle="R14", before=Before("bo", at("09:00")))
        found = moved(days(there, visit("B", vehicle="R14"), crew=(ANN, bo)), "B", "ann", at("09:30"))
        self.assertIn("The same vehicle has another visit that day: A at 9:00 with Bo.", found.said)

    def test_what_cannot_be_is_said_and_touches_nothing(self):
        these = days(
            visit("A", before=Before("ann", at("09:00"))), visit("B", minutes=300, before=Before("ann", at("10:30")))
        )
        late = moved(these, "A", "ann", at("16:30"))
        self.assertEqual((late.possible, late.begins), (False, {}))
        self.assertIn("A would be from 16:30 to 17:30; Brae yard is not open then", late.said[0])
        full = moved(days(*these.visits, visit("C", minutes=200)), "C", "ann", at("11:00"))
        self.assertIn("cannot do all visits of that day", full.said[0])

    def test_why_a_day_cannot_be_done_as_it_stands_is_said(self):
        def planned_at(*ones):
            visits = (visit(name, minutes=minutes, before=Before("ann", at(when))) for name, when, minutes in ones)
            return why_not(days(*visits), "ann", TUESDAY)

        self.assertEqual(planned_at(("A", "09:00", 60), ("B", "11:00", 60)), ())
        (closed,) = planned_at(("A", "04:00", 60), ("B", "16:30", 60))
        self.assertEqual(closed, "B would be from 16:30 to 17:30; Brae yard is not open then.")
        overlapping, *_ = planned_at(("A", "14:00", 120), ("B", "15:00", 90))
        self.assertEqual(overlapping, "A, 14:00 to 16:00, and B, from 15:00, overlap.")
        far = Place("far", "Far yard", 57.3, -6.0, "main", YARD.hours)
        apart = [
            visit("A", "far", before=Before("ann", at("13:00"))),
            visit("B", minutes=140, before=Before("ann", at("14:05"))),
        ]
        (full,) = why_not(days(*apart, places=(far,)), "ann", TUESDAY)
        self.assertEqual(full, "Ann cannot do B after A, with the way there, and be home in working hours.")

    def test_of_a_day_on_which_nobody_works_that_is_said_once_and_not_of_each_visit(self):
        saturday = TUESDAY + dt.timedelta(days=4)
        weekdays = replace(ANN, hours=(Hours("08:00", "17:00", (0, 1, 2, 3, 4)),))
        on_it = [visit(name, before=Before("ann", at("09:00", saturday))) for name in ("A", "B", "C")]
        for visits, said in ((on_it, "3 visits are"), (on_it[:1], "A is")):
            (why,) = why_not(days(*visits, crew=(weekdays,), days=(saturday,)), "ann", saturday)
            self.assertEqual(why, f"{said} planned on Saturday {saturday.day} {saturday:%B}, when Ann does not work.")
        there = moved(days(visit("A"), crew=(weekdays,), days=(saturday,)), "A", "ann", at("09:00", saturday))
        self.assertEqual((there.possible, there.said[0]), (False, "Ann does not work on Saturday 7 November."))
