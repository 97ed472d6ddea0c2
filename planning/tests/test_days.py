"""Whole days: what the checker refuses, and what is said of days on which something is wrong."""

import copy
import datetime as dt
import io
import json
import math
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from planning.__main__ import main
from planning.checker import check
from planning.clock import Wall
from planning.errors import DayFileError
from planning.examples import random_days
from planning.grid import Grid
from planning.habits import island_by_island, nearest_first
from planning.model import Days, Ferry, Hours, Place, Span
from planning.network import distance_km
from planning.plan import plan_of
from planning.search import Search
from planning.tests.made import ANN, HEADS, HOME, TUESDAY, YARD, at, days, done, planned, shifted, visit, why
from planning.whatif import what_more_brings


class Checked(unittest.TestCase):
    def test_whatever_is_planned_can_be_carried_out(self):
        for seed in range(4):
            these = random_days(seed, visits=20)
            plan = plan_of(these, seconds=30, steps=60)
            self.assertEqual(check(json.loads(these.to_json()), plan.plain()), [], seed)
            self.assertGreater(len(done(plan)), 10)

    @classmethod
    def setUpClass(cls):
        these = random_days(3, visits=14)
        cls.told, cls.plan = json.loads(these.to_json()), plan_of(these, seconds=30, steps=100).plain()
        by_ferry = (
            out
            for out in cls.plan["turns"]
            if out["pause"] and any(leg.get("ferry") for stop in out["stops"] for leg in stop["legs"])
        )
        out = next(by_ferry)
        cls.number = cls.plan["turns"].index(out)
        cls.ferry = next(leg["ferry"] for stop in out["stops"] for leg in stop["legs"] if leg.get("ferry"))
        cls.first = next(n for n, one in enumerate(cls.told["visits"]) if one["key"] == out["stops"][0]["visit"])

    def assert_seen(self, spoils):
        """Each change is found: of the days, and of somebody's turn in the plan."""
        self.assertEqual(check(self.told, self.plan), [])
        for words, change in spoils.items():
            data, made = copy.deepcopy(self.told), copy.deepcopy(self.plan)
            change(data, made["turns"][self.number])
            self.assertIn(words, " ".join(check(data, made)))

    def test_the_checker_sees_what_is_wrong_with_a_plan(self):
        self.assert_seen({
            "0 times": lambda d, o: o["stops"].pop(),
            "hours": lambda d, o: o.update(leaves=shifted(o["leaves"], -600)),
            "instead of": lambda d, o: o["stops"][0].update(ends=shifted(o["stops"][0]["ends"], 5)),
            "before they are there": lambda d, o: o["stops"][0].update(begins=shifted(o["stops"][0]["begins"], -60)),
            "no break": lambda d, o: o.update(pause=None),
            "the break is at": lambda d, o: o.update(pause=shifted(o["pause"], 300)),
            "at one vehicle": lambda d, o: ([one.update(vehicle="x") for one in d["visits"]], o["stops"][1].update(begins=o["stops"][0]["begins"])),
            "in 1": lambda d, o: d["roads"].extend(
                {"origin": leg["from"], "target": leg["to"], "minutes": 900} for stop in o["stops"] for leg in stop["legs"] if not leg.get("ferry")
            ),
        })  # fmt: skip

    def test_the_checker_sees_what_the_days_do_not_allow(self):
        never = {"start": "2026-11-02T00:00:00", "end": "2026-11-02T00:10:00"}

        def ferry(days, **other):
            next(one for one in days["ferries"] if one["key"] == self.ferry).update(other)

        def wanted(days, **other):
            days["visits"][self.first].update(other)

        self.assert_seen({
            "does not go on": lambda d, o: ferry(d, cancelled=[o["day"]]),
            "takes 1 of our vans": lambda d, o: ferry(d, capacity=0),
            "is closed": lambda d, o: ferry(d, books_until=7 * 1440),
            "too late for ferry": lambda d, o: ferry(d, check_in=600),
            "the yard is closed": lambda d, o: [one.update(closed=[o["day"]]) for one in d["places"]],
            "is not there": lambda d, o: wanted(d, ready=[never]),
            "promised": lambda d, o: wanted(d, promised=never),
            "wished": lambda d, o: wanted(d, only="nobody"),
            "has not learned": lambda d, o: wanted(d, skills=["welding"]),
            "with heads": lambda d, o: [one.update(kits=[]) for one in d["technicians"]],
            "has run out": lambda d, o: d["kits"][0].update(certified_until="2026-11-02T00:00:00"),
            "its battery lasts": lambda d, o: d["kits"][0].update(battery=5),
        })  # fmt: skip

    def test_a_distance_on_the_globe_is_what_vectors_say(self):
        @settings(max_examples=60, deadline=None)
        @given(*[st.floats(-80, 80)] * 2, *[st.floats(-179, 179)] * 2)
        def same(north, other_north, east, other_east):
            def vector(n, e):
                n, e = np.radians([n, e])
                return np.array([np.cos(n) * np.cos(e), np.cos(n) * np.sin(e), np.sin(n)])

            one, other = vector(north, east), vector(other_north, other_east)
            angle = 2 * math.atan2(np.linalg.norm(one - other), np.linalg.norm(one + other))
            found = distance_km(Place("a", "a", north, east), Place("b", "b", other_north, other_east))
            self.assertAlmostEqual(found, 6371 * angle, delta=1e-6)

        same()


class OnTheCommandLine(unittest.TestCase):
    def run_it(self, *words):
        said, wrong = io.StringIO(), io.StringIO()
        with redirect_stdout(said), redirect_stderr(wrong):
            status = main(words)
        return status, said.getvalue(), wrong.getvalue()

    def test_days_are_planned_and_the_plan_is_checked(self):
        with tempfile.TemporaryDirectory() as folder:
            days_file, plan_file, odd = (Path(folder) / name for name in ("days.json", "plan.json", "odd.json"))
            days_file.write_bytes(days(visit("A")).to_json())
            status, plan, _ = self.run_it("plan", str(days_file), "--seconds", "1")
            plan_file.write_text(plan)
            self.assertEqual((status, self.run_it("check", str(days_file), str(plan_file))[1].strip()), (0, ""))
            for spoiled in ('{"turns": 3}', "[]", "{}", '{"turns": [{}], "left_out": []}'):
                odd.write_text(spoiled)
                status, _, wrong = self.run_it("check", str(days_file), str(odd))
                self.assertEqual(status, 2, spoiled)
                self.assertIn("expected a plan", wrong)

    def test_a_call_that_is_none_is_answered_with_what_is_expected(self):
        for words in (
            (),
            ("fly",),
            ("plan",),
            ("check", "a"),
            ("example", "--seed", "x"),
            ("example", "--seed", "nan"),
            ("plan", "a", "--seconds", "inf"),
        ):
            status, _, wrong = self.run_it(*words)
            self.assertEqual(status, 2, words)
            self.assertIn("expected" if len(words) > 2 else "usage", wrong)
        self.assertEqual(self.run_it("plan", "/nowhere/at/all")[0], 2)


class SomethingIsWrong(unittest.TestCase):
    def test_the_night_on_which_the_clock_is_changed_has_its_hour_more_or_less(self):
        for day, minutes, word in (
            (dt.date(2026, 10, 25), 25 * 60, "longer"),
            (dt.date(2026, 3, 29), 23 * 60, "shorter"),
        ):
            wall = Wall("Europe/Lisbon")
            self.assertEqual(wall.on(day + dt.timedelta(days=1), "00:00") - wall.on(day, "00:00"), minutes)
            night = replace(ANN, hours=(Hours("00:00", "04:00"),))
            yard = replace(YARD, hours=(Hours("00:00", "06:00"),))
            these = replace(
                days(visit("A", minutes=200), days=(day,), now=at("12:00", day - dt.timedelta(days=1)), crew=(night,)),
                places=(yard, HOME),
            )
            plan = planned(these)
            # Four hours on the clock are five or three of work: 200 minutes and the way fit into one of them alone.
            self.assertEqual(bool(done(plan)), word == "longer")
            self.assertIn(word, " ".join(plan.notes))

    def test_a_cancelled_ferry_is_said_and_nothing_is_planned_with_it(self):
        isle = Place("isle", "Isle yard", 57.3, -6.0, "isle")
        ports = Place("port", "port", 57.1, -6.0, "main"), Place("pier", "pier", 57.3, -6.01, "isle")
        go = Ferry("out", "port", "pier", "09:00", 30), Ferry("back", "pier", "port", "15:00", 30)
        these = days(visit("A", "isle"), visit("B", minutes=40), places=(isle, *ports), ferries=go)
        self.assertEqual(done(planned(these)).keys(), {"A", "B"})
        plan = planned(replace(these, ferries=(replace(go[0], cancelled=(TUESDAY,)), go[1])))
        self.assertEqual(done(plan).keys(), {"B"})
        code, said = why(plan, "A")
        self.assertEqual(code, "ferry")
        self.assertIn("the ferry of 9:00 is cancelled", said)
        self.assertIn("cancelled", " ".join(plan.notes))
        closed = planned(replace(these, ferries=(replace(go[0], books_until=24 * 60), go[1])))
        self.assertIn("can no longer be booked", why(closed, "A")[1])
        booked = planned(replace(these, ferries=(replace(go[0], books_until=24 * 60, booked={TUESDAY: 1}), go[1])))
        self.assertIn("A", done(booked))

    def test_a_kit_whose_certificate_runs_out_at_noon_works_in_the_morning_alone(self):
        kit = replace(HEADS, certified_until=at("12:00"))
        plan = planned(
            days(
                visit("A", minutes=90),
                visit("B", minutes=90),
                visit("C", ready=(Span(at("12:30"), at("16:00")),)),
                kits=(kit,),
            )
        )
        self.assertEqual(done(plan).keys(), {"A", "B"})
        code, said = why(plan, "C")
        self.assertEqual(code, "certificate")
        self.assertIn("holds until 12:00 on Tuesday 3 November", said)

    def test_a_closed_yard_a_missing_skill_a_kit_that_cannot_and_somebody_absent_are_each_a_sentence(self):
        away = replace(ANN, absences=(Span(at("00:00"), at("23:00")),))
        for code, word, these in (
            ("closed", "Brae yard is closed on Tuesday 3 November", replace(days(visit("A")), places=(replace(YARD, closed=(TUESDAY,)), HOME))),
            ("skill", "welding", days(visit("A", skills=("welding",)))),
            ("kit", "No kit in the van of Ann can judge A", days(visit("A"), crew=(replace(ANN, kits=()),))),
            ("nobody", "Ann does not work on Tuesday 3 November", days(visit("A"), crew=(away,))),
            ("nobody", "Nobody who may do A works", days(visit("A"), crew=(away, replace(away, key="bo", name="Bo")))),
            ("not-ready", "does not stand ready", days(visit("A", ready=(Span(at("16:30"), at("19:00")),)))),
            ("too-long", "takes 700 minutes", days(visit("A", minutes=700))),
            ("too-far", "Nobody gets to Brae yard", replace(days(visit("A")), places=(replace(YARD, north=50.0), HOME))),
            ("no-room", "The hours are full", days(*[visit(f"A{n}", minutes=120) for n in range(4)], visit("A", minutes=130, urgency="wish"))),
        ):  # fmt: skip
            plan = planned(these)
            self.assertEqual(why(plan, "A")[0], code)
            self.assertIn(word, why(plan, "A")[1])

    def test_two_technicians_are_never_at_one_vehicle(self):
        bo = replace(ANN, key="bo", name="Bo")
        plan = planned(days(visit("A", vehicle="R14"), visit("B", vehicle="R14"), crew=(ANN, bo)))
        self.assertEqual(len(done(plan)), 1)
        self.assertEqual(plan.left_out[0].code, "twin")
        self.assertIn("the same vehicle", plan.left_out[0].why)

    def test_an_impossible_day_loses_nothing(self):
        these = random_days(5, visits=12)
        these = replace(
            these,
            ferries=(),
            technicians=tuple(replace(man, hours=(Hours("08:00", "08:10"),)) for man in these.technicians),
        )
        plan = plan_of(these, seconds=5, steps=20)
        self.assertEqual(len(plan.left_out), 12)
        self.assertTrue(all(one.why for one in plan.left_out))

    def test_a_spoiled_file_is_refused_in_sentences(self):
        whole = json.loads(days(visit("A")).to_json())
        for change, word in (
            ({"zone": "Nowhere/Land"}, "time zone"),
            ({"visits": [{**whole["visits"][0], "place": "x"}]}, "expected one of the places, got x"),
            ({"visits": whole["visits"] * 2}, "more than once"),
            ({"days": []}, "days"),
            ({"days": ["0001-01-01"]}, "from 1970 to 2200"),
            ({"now": "9999-12-31T23:59:00"}, "from 1970 to 2200"),
            (
                {
                    "visits": [
                        {
                            **whole["visits"][0],
                            "promised": {"start": "0001-01-01T00:00:00", "end": "9999-12-31T00:00:00"},
                        }
                    ]
                },
                "from 1970 to 2200",
            ),
            ({"colour": 1}, "colour"),
        ):
            with self.assertRaises(DayFileError) as raised:
                Days.from_json(json.dumps(whole | change))
            self.assertIn(word, str(raised.exception))
        self.assertEqual(Days.from_json(json.dumps(whole)), days(visit("A")))

    def test_parts_that_the_van_does_not_have_are_named(self):
        plan = planned(days(visit("A", needs={"shim 0.5": 3.0}), crew=(replace(ANN, stock={"shim 0.5": 1}),)))
        self.assertIn("likely to need 3 of shim 0.5; in the van there are 1", " ".join(plan.notes))


class Better(unittest.TestCase):
    def test_a_plan_does_no_less_than_habits_do(self):
        for seed in (1, 2):
            these = random_days(seed, visits=16)
            grid = Grid.of(these)
            plan, search = plan_of(these, seconds=60, steps=300), Search(grid)
            for habit in (nearest_first, island_by_island):
                self.assertLess(plan.cost, search.total(search.fitted(habit(grid))))

    def test_what_there_is_is_taken_when_somebody_asks_for_it(self):
        these, told = random_days(2, visits=20), []

        def enough(share, cost):
            told.append((share, cost))
            return True

        plan = plan_of(these, seconds=20, tell=enough)
        self.assertEqual(check(json.loads(these.to_json()), plan.plain()), [])
        self.assertGreater(len(done(plan)), 8)
        self.assertLess(max(share for share, _ in told), 0.6)

    def test_what_a_person_set_is_kept(self):
        bo = replace(ANN, key="bo", name="Bo")
        plan = planned(
            days(
                visit("A", only="bo"),
                visit("B", at=at("13:20")),
                visit("C", promised=Span(at("15:00"), at("15:30"))),
                crew=(ANN, bo),
            )
        )
        self.assertEqual([out.technician for out in plan.turns if any(call.visit == "A" for call in out.stops)], ["bo"])
        self.assertEqual(f"{done(plan)['B'].begins:%H:%M}", "13:20")
        self.assertTrue("15:00" <= f"{done(plan)['C'].begins:%H:%M}" <= "15:30")
        self.assertIn("was set by a person", done(plan)["B"].why)

    def test_an_hour_more_or_a_van_more_is_said_with_what_it_brings(self):
        these = days(*[visit(f"A{n}", minutes=120) for n in range(5)])
        hour, van = what_more_brings(these, planned(these), seconds=20, steps=200)
        self.assertEqual((hour.visits, van.visits), (0, 1))
        self.assertIn("1 more visit would be done", van.said)
