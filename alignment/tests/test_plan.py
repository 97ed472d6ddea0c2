"""The plan against exhaustion, against a reference solver, and against the contract's own words."""

import functools
import itertools
import json
import random
import subprocess
import sys
import tempfile
import unittest

import numpy as np

from alignment.adjust.integer import solve_integer
from alignment.adjust.plan import make_plan
from alignment.adjust.scoring import EQUAL, Options, Rows, Score, score_of
from alignment.adjust.search import Tree, search
from alignment.jobfile import parse, plan_job, plan_of, solve_job
from alignment.judge.results import quantity_of
from alignment.model.vehicle import SIDES
from alignment.tests.large_plans import big_truck, plates

TWO = [{"role": "steer", "position_mm": 0, "track_mm": 1500}, {"role": "drive", "position_mm": 2700, "track_mm": 1500}]
THREE = [{"role": "steer", "position_mm": 0, "track_mm": 2000},
         {"role": "drive", "position_mm": 3800, "track_mm": 1850, "rigid": True},
         {"role": "drive", "position_mm": 5100, "track_mm": 1850, "rigid": True}]  # fmt: skip


def read(axles, values):
    """Readings that tell every toe, camber and caster given by path; offsets and setbacks stay unknown."""
    found = []
    for path, value in values.items():
        _, axle, side, quantity = path.split("/")
        kind = {"toe_deg": "toe", "camber_deg": "camber", "caster_deg": "caster"}[quantity]
        found.append({"phase": "before", "kind": kind, "axle": int(axle), "side": side, "deg": value, "u_deg": 0.01})
    return found


def job(axles=TWO, toes=None, spec=(), adjusters=(), more=()):
    toes = toes or {f"axles/{axle}/{side}/toe_deg": 0.0 for axle in range(1, len(axles) + 1) for side in SIDES}
    return {"format": "rectaxis-job", "version": 1, "vehicle": {"axles": axles},
            "readings": [*read(axles, toes), *more], "spec": list(spec), "adjusters": list(adjusters)}  # fmt: skip


def settings_of(adjuster):
    """All positions of an adjuster of a job file, each with its effect and its movement, as the contract words it."""
    if "choices" in adjuster:
        here = adjuster["choices"][str(adjuster["installed"])]
        for key, effect in adjuster["choices"].items():
            change = {p: effect.get(p, 0) - here.get(p, 0) for p in {**here, **effect}}
            yield key, change, int(key != str(adjuster["installed"]))
        return
    at, step = adjuster.get("installed", 0), adjuster.get("step", 1)
    for n in range(-100, 101):
        if adjuster["min"] - 1e-9 <= at + n * step <= adjuster["max"] + 1e-9:
            yield at + n * step, {p: e * n * step for p, e in adjuster["effect"].items()}, abs(n)


def moved(values, changes, thrust):
    """The values of a vehicle after changes of toes, bearings and wheel angles, by the contract's propagation."""
    now = dict(values)
    for path, change in changes:
        parts = path.split("/")
        if parts[-1] == "toe_deg":
            now[f"axles/{parts[1]}/total_toe_deg"] += change
            now[f"axles/{parts[1]}/bearing_deg"] += change / 2 if parts[2] == "left" else -change / 2
        else:
            now[path] += change
    for axle in {path.split("/")[1] for path in now if path.startswith("axles/")}:
        for side, sign in (("left", 1), ("right", -1)):
            toe = now[f"axles/{axle}/total_toe_deg"] / 2 + sign * now[f"axles/{axle}/bearing_deg"]
            now[f"axles/{axle}/{side}/toe_deg"] = toe
            now[f"axles/{axle}/{side}/toe_thrust_deg"] = toe - sign * now[f"axles/{thrust}/bearing_deg"]
        if f"axles/{axle}/cross_camber_deg" in now:
            left, right = (now[f"axles/{axle}/{side}/camber_deg"] for side in SIDES)
            now[f"axles/{axle}/cross_camber_deg"] = left - right
    now["thrust_angle_deg"] = now[f"axles/{thrust}/bearing_deg"]
    now["steer_ahead_deg"] = now["axles/1/bearing_deg"] - now["thrust_angle_deg"]
    if "scrub_deg/2-3" in now:
        now["scrub_deg/2-3"] = now["axles/3/bearing_deg"] - now["axles/2/bearing_deg"]
    return now


def contract_score(values, spec, cost, movement):
    """Excess, cost, distance and movement by the contract's words."""
    excess = distance = 0.0
    for row in spec:
        path = path_of(row)
        low, high, near = row.get("min"), row.get("max"), row.get("preferred")
        half = 0.1 if low is None or high is None or low == high else (high - low) / 2
        value = values[path]
        excess += (
            max(0, (low if low is not None else value) - value, value - (high if high is not None else value)) / half
        )
        distance += 0 if near is None else abs(value - near) / half
    return Score(excess, cost, distance, movement)


def path_of(row):
    if "axles" in row:
        return f"{row['quantity']}/{row['axles'][0]}-{row['axles'][1]}"
    if "axle" not in row:
        return row["quantity"]
    side = [row["side"]] if row.get("side") else []
    return "/".join(["axles", str(row["axle"]), *side, row["quantity"]])


def exhausted(document, values, thrust=2):
    """The best score over all reachable settings, one after the other."""
    best = None
    for combination in itertools.product(*(list(settings_of(a)) for a in document["adjusters"])):
        changes = [item for _, change, _ in combination for item in change.items()]
        cost = sum(a.get("cost", 1) for a, (_, _, m) in zip(document["adjusters"], combination, strict=True) if m)
        after = moved(values, changes, thrust)
        score = contract_score(after, document["spec"], cost, sum(m for _, _, m in combination))
        if best is None or score.beats(best):
            best = score
    return best


def random_job(rng):
    """A small job with every sort of adjuster and row."""
    axles = rng.choice((TWO, THREE))
    numbers = range(1, len(axles) + 1)
    values = {f"axles/{a}/{side}/toe_deg": round(rng.gauss(0, 0.3), 2) for a in numbers for side in SIDES}
    values |= {f"axles/{a}/{side}/camber_deg": round(rng.gauss(0, 0.8), 2) for a in numbers for side in SIDES}
    values |= {f"axles/1/{side}/caster_deg": round(rng.gauss(4, 1), 2) for side in SIDES}
    paths = [*values, *(f"axles/{a}/bearing_deg" for a in numbers)]
    spec, adjusters = [], []
    rows = [*paths, *(f"axles/{a}/total_toe_deg" for a in numbers), "axles/1/cross_camber_deg", "thrust_angle_deg",
            "steer_ahead_deg", *(["scrub_deg/2-3"] if len(axles) > 2 else [])]  # fmt: skip
    for path in rng.sample(rows, rng.randint(1, 6)):
        parts = path.split("/")
        where = {"axle": int(parts[1])} if parts[0] == "axles" else {"axles": [2, 3]} if "/" in path else {}
        side = {"side": parts[2]} if len(parts) == 4 else {}
        middle, half = round(rng.gauss(0, 0.2) + (4 if "caster" in path else 0), 2), rng.choice((0, 0.05, 0.1, 0.5))
        bounds = {"min": middle - half, "max": middle + half}
        bounds = {k: v for k, v in bounds.items() if rng.random() < 0.85}
        near = {"preferred": middle} if rng.random() < 0.6 else {}
        spec.append({"quantity": quantity_of(path), **where, **side, **bounds, **near})
    for number in range(rng.randint(1, 4)):
        given = {"id": f"adjuster {number}", "cost": rng.choice((0, 1, 1, 2, 8))}

        def effect():
            return {p: rng.choice((0.03, 0.06, -0.06, 0.25, 0.1)) for p in rng.sample(paths, rng.randint(1, 3))}

        if rng.random() < 0.3:
            choices = {str(key): effect() if key else {} for key in range(rng.randint(1, 5))}
            adjusters.append({**given, "installed": rng.randrange(len(choices)), "choices": choices})
        else:
            low, high = -rng.randint(0, 2), rng.randint(0, 2)
            step = rng.choice((1, 1, 0.5))
            adjusters.append({**given, "min": low, "max": high, "step": step, "effect": effect()})
    return job(axles, values, spec, adjusters)


class AgainstExhaustion(unittest.TestCase):
    def test_the_plan_of_every_small_job_is_as_good_as_the_best_of_all_settings(self):
        rng = random.Random("plans")
        for _ in range(1000):
            document = random_job(rng)
            core = parse(document)
            plan = plan_of(core)
            values = {path: e.value for path, e in plan.results.estimates.items() if e is not None}
            after = {path: e.value for path, e in plan.estimates.items() if e is not None}
            cost = sum(move.adjuster.cost for move in plan.moves)
            movement = sum(move.adjuster.steps_to(move.end) for move in plan.moves)
            mine = contract_score(after, document["spec"], cost, movement)
            best = exhausted(document, values)
            for one, other in zip(mine, best, strict=True):
                self.assertAlmostEqual(one, other, delta=2 * EQUAL, msg=document)
            self.assertIsNone(plan.gap)


def small_problem(rng):
    """Rows with any bounds absent, and adjusters with even or uneven settings and any costs."""
    rows = rng.integers(1, 6)
    low = rng.normal(size=rows) - 1
    bounds = [
        np.where(rng.random(rows) < 0.2, infinite, bound) for infinite, bound in ((-np.inf, low), (np.inf, low + 2))
    ]
    options = []
    for _ in range(rng.integers(1, 5)):
        settings, even = int(rng.integers(1, 6)), rng.random() < 0.6
        installed = int(rng.integers(settings))
        steps = np.arange(settings) - installed
        adds = steps[:, None] * rng.normal(size=rows) * (rng.random(rows) < 0.6)
        movement = np.abs(steps).astype(float)
        if not even:
            adds, movement = adds * (1 + rng.random((settings, 1))), np.minimum(movement, 1.0)
        options.append(Options(adds, float(rng.choice((-1, 0, 1, 1, 5))), movement, installed))
    near = np.where(rng.random(rows) < 0.4, np.nan, rng.normal(size=rows))
    return Rows(2 * rng.normal(size=rows), *bounds, near), options


class LargeProblems(unittest.TestCase):
    """The search and the general solver (SciPy's, which is HiGHS) know nothing of each other."""

    def test_both_are_as_good_as_trying_all_settings(self):
        rng = np.random.default_rng(5)
        for _ in range(60):
            rows, options = small_problem(rng)
            every = itertools.product(*(range(len(option.movement)) for option in options))
            best = functools.reduce(
                lambda a, b: b if b.beats(a) else a, (score_of(rows, options, one) for one in every)
            )
            start = [option.installed for option in options]
            for found in (Tree(rows, options).solve(), solve_integer(rows, options, start)):
                self.assertFalse(best.beats(found.score) or found.score.beats(best))
                self.assertIsNone(found.gap)

    def test_the_search_and_a_general_solver_find_plans_of_one_score(self):
        rng = random.Random("both")
        for _ in range(3):
            rows, options = plates(rng)
            exact = Tree(rows, options, most_tried=10**8).solve()
            other = solve_integer(rows, options, [option.installed for option in options])
            self.assertFalse(exact.score.beats(other.score) or other.score.beats(exact.score))

    def test_a_truck_with_fourteen_adjusters_and_eight_coupled_mountings_are_certified(self):
        rng = random.Random("large")
        for make, count in ((big_truck, 14), (plates, 8)):
            rows, options = make(rng)
            self.assertEqual(len(options), count)
            found = search(rows, options)
            self.assertIsNone(found.gap)
            self.assertEqual(found.score, score_of(rows, options, found.chosen))
            self.assertTrue(found.score.beats(score_of(rows, options, [option.installed for option in options])))


class TheContract(unittest.TestCase):
    RODS = [{"id": f"A{axle} {side} rod", "min": -24, "max": 24, "cost": 0, "effect": {f"axles/{axle}/{side}/toe_deg": 0.06}}
            for axle in (1, 2) for side in SIDES]  # fmt: skip
    TOES = {"axles/1/left/toe_deg": 0.3, "axles/1/right/toe_deg": -0.1, "axles/2/left/toe_deg": 0.25,
            "axles/2/right/toe_deg": -0.05}  # fmt: skip
    SPEC = [{"quantity": "total_toe_deg", "axle": axle, "min": 0, "max": 0.2, "preferred": 0.1} for axle in (1, 2)] + [
        {"quantity": "thrust_angle_deg", "min": -0.1, "max": 0.1, "preferred": 0},
        {"quantity": "steer_ahead_deg", "min": -0.1, "max": 0.1, "preferred": 0}]  # fmt: skip

    def test_moves_come_in_working_order_and_each_says_what_stands_when_it_is_done(self):
        core = parse(job(toes=self.TOES, spec=self.SPEC, adjusters=self.RODS))
        plan = plan_job(core)
        self.assertEqual([move["id"] for move in plan["moves"]],
                         ["A2 left rod", "A2 right rod", "A1 left rod", "A1 right rod"])  # fmt: skip
        first = plan["moves"][0]
        self.assertEqual((first["from"], first["by"]), (0, first["to"]))
        self.assertAlmostEqual(first["expected"]["axles/2/left/toe_deg"], 0.25 + 0.06 * first["by"])
        # The rear's heading is what the front is measured against: moving it moves these too.
        self.assertIn("axles/1/right/toe_thrust_deg", first["expected"])
        self.assertNotIn("axles/1/right/toe_deg", first["expected"])
        last = plan["moves"][-1]["expected"]
        verdicts = {(v["quantity"], v["axle"]): v["value"] for v in plan["verdicts"]}
        self.assertAlmostEqual(last["steer_ahead_deg"], verdicts["steer_ahead_deg", None])
        self.assertEqual(plan["cannot"], [])

    def test_scales_read_again_as_the_plan_says_give_its_verdicts(self):
        more = [{"phase": "before", "kind": "outboard_pair", "axle": 2, "ahead_mm": 2700, "on": 1, "left_mm": 39,
                 "right_mm": 41, "u_mm": 5}]  # fmt: skip
        document = job(toes=self.TOES, spec=self.SPEC, adjusters=self.RODS, more=more)
        plan = plan_job(parse(document))
        readings = document["readings"]
        for shown in plan["see"]:
            self.assertLessEqual(set(shown) - {"reading"}, set(readings[shown["reading"]]))
            readings[shown["reading"]] |= {k: v for k, v in shown.items() if k != "reading"}
        again = solve_job(parse(document))["phases"]["before"]["verdicts"]
        for seen, said in zip(again, plan["verdicts"], strict=True):
            self.assertAlmostEqual(seen["value"], said["value"], places=9)

    def test_what_cannot_be_reached_or_was_not_measured_is_named(self):
        spec = [{"quantity": "camber_deg", "axle": 1, "side": "left", "min": -1.0, "max": 0.0},
                {"quantity": "caster_deg", "axle": 1, "side": "left", "min": 3, "max": 5}]  # fmt: skip
        plates_ = {"id": "plate", "installed": 5, "choices": {"1": {"axles/1/left/camber_deg": -0.4}, "5": {},
                   "9": {"axles/1/left/camber_deg": 0.4}}}  # fmt: skip
        toes = {"axles/1/left/toe_deg": 0.0, "axles/1/left/camber_deg": -1.6}
        plan = plan_job(parse(job(toes=toes, spec=spec, adjusters=[plates_])))
        self.assertEqual([(m["from"], m["to"], m["by"]) for m in plan["moves"]], [("5", "9", None)])
        self.assertEqual([(c["quantity"], c["side"]) for c in plan["cannot"]],
                         [("camber_deg", "left"), ("caster_deg", "left")])  # fmt: skip
        self.assertAlmostEqual(plan["cannot"][0]["value"], -1.2)
        self.assertIsNone(plan["cannot"][1]["value"])

    def test_a_rigid_axles_setback_follows_its_bearing(self):
        shims = {"id": "shims", "min": 0, "max": 8, "effect": {"axles/3/bearing_deg": 0.05}}
        spec = [{"quantity": "scrub_deg", "axles": [2, 3], "min": -0.02, "max": 0.02}]
        toes = {f"axles/{axle}/{side}/toe_deg": 0.1 if side == "left" and axle == 2 else 0.0
                for axle in (2, 3) for side in SIDES}  # fmt: skip
        plan = plan_job(parse(job(THREE, toes, spec, [shims])))
        moved = plan["moves"][0]["expected"]
        self.assertAlmostEqual(moved["axles/3/bearing_deg"], 0.05)
        self.assertAlmostEqual(moved["axles/3/setback_mm"], 1850 * np.tan(np.radians(0.05)), places=6)

    def test_without_readings_or_adjusters_there_is_nothing_to_move(self):
        empty = plan_job(parse({"format": "rectaxis-job", "version": 1, "vehicle": {"axles": TWO}, "spec": self.SPEC,
                                "adjusters": self.RODS}))  # fmt: skip
        self.assertEqual((empty["phase"], empty["moves"], empty["see"]), (None, [], []))
        self.assertEqual({c["value"] for c in empty["cannot"]}, {None})
        self.assertEqual(plan_job(parse(job(toes=self.TOES, spec=self.SPEC)))["moves"], [])

    def test_an_order_of_axles_may_be_chosen(self):
        core = parse(job(toes=self.TOES, spec=self.SPEC, adjusters=self.RODS))
        moves = make_plan(plan_of(core).results, core.rules, core.adjusters, order=[1, 2]).moves
        self.assertEqual([move.adjuster.id[:2] for move in moves], ["A1", "A1", "A2", "A2"])


class CommandLine(unittest.TestCase):
    def printed(self, document):
        with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
            json.dump(document, file)
            file.flush()
            words = [sys.executable, "-m", "alignment", "plan", file.name]
            return subprocess.run(words, capture_output=True, text=True, check=False)

    def test_a_truck_with_fourteen_adjusters_is_planned_with_the_plan_alone_on_standard_output(self):
        rng = random.Random("truck")
        axles = [{"role": role, "position_mm": at, "track_mm": 2000}
                 for role, at in (("steer", 0), ("steer", 1950), ("drive", 5100), ("drive", 6470))]  # fmt: skip
        numbers = range(1, 5)
        values = {f"axles/{a}/{side}/toe_deg": rng.gauss(0, 0.25) for a in numbers for side in SIDES}
        values |= {f"axles/{a}/{side}/camber_deg": rng.gauss(0, 0.6) for a in (1, 2) for side in SIDES}
        adjusters = [{"id": f"A{a} {side} rod", "min": -24, "max": 24, "effect": {f"axles/{a}/{side}/toe_deg": 0.06}}
                     for a in (1, 2) for side in SIDES]  # fmt: skip
        adjusters += [{"id": f"A{a} {side} shims", "min": -4, "max": 4, "cost": 12,
                       "effect": {f"axles/{a}/{side}/camber_deg": 0.25, f"axles/{a}/{side}/toe_deg": -0.05}}
                      for a in (1, 2) for side in SIDES]  # fmt: skip
        adjusters += [{"id": f"A{a} {side} beam", "min": 0, "max": 6, "cost": 8,
                       "effect": {f"axles/{a}/bearing_deg": 0.06 if side == "left" else -0.06}}
                      for a in (3, 4) for side in SIDES]  # fmt: skip
        adjusters += [{"id": "link", "min": -24, "max": 24, "cost": 2, "effect": {"axles/2/bearing_deg": 0.05}},
                      {"id": "rod", "min": -12, "max": 12, "cost": 3, "effect": {"axles/4/bearing_deg": 0.04}}]  # fmt: skip
        both = {"min": -0.1, "max": 0.1, "preferred": 0}
        spec = [{"quantity": "total_toe_deg", "axle": a, **both} for a in (1, 2)]
        spec += [
            {"quantity": "camber_deg", "axle": a, "side": s, "min": -0.3, "max": 0.3} for a in (1, 2) for s in SIDES
        ]
        spec += [{"quantity": q, **both} for q in ("thrust_angle_deg", "steer_ahead_deg")]
        spec += [
            {"quantity": q, "axles": pair, **both} for q, pair in (("parallelism_deg", [1, 2]), ("scrub_deg", [3, 4]))
        ]
        self.assertEqual(len(adjusters), 14)
        answer = self.printed(job(axles, values, spec, adjusters))
        self.assertEqual((answer.returncode, answer.stderr), (0, ""))
        plan = json.loads(answer.stdout)
        self.assertEqual((plan["format"], plan["version"], plan["phase"]), ("rectaxis-plan", 1, "before"))
        self.assertNotIn("gap", plan)
        self.assertEqual(plan["cannot"], [])
        order = [int(move["id"][1]) for move in plan["moves"] if move["id"].startswith("A")]
        self.assertEqual(order, sorted(order, key=[3, 4, 1, 2].index))

    def test_a_faulty_file_is_refused_with_pointers_and_nothing_on_standard_output(self):
        adjuster = {"id": "rod", "min": 0, "max": 3, "installed": 9, "effect": {"axles/9/left/toe_deg": 1}}
        answer = self.printed(job(adjusters=[adjuster]))
        self.assertEqual((answer.returncode, answer.stdout), (2, ""))
        for pointer in ("/adjusters/0/effect/axles~19~1left~1toe_deg", "/adjusters/0/installed"):
            self.assertIn(pointer, answer.stderr)
