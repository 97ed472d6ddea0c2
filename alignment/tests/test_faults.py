"""Faults planted one at a time on sound vehicles of rigid bodies, read by tools that err: is the right cause among the first two?

What each fault does is common practice, no source (the table of what readings mean).
"""

import random
import unittest

from alignment.estimate.solve import solve
from alignment.judge.diagnose import LIKELY, Evidence, diagnose
from alignment.judge.results import PhaseResults
from alignment.judge.verdict import Rule
from alignment.model.vehicle import SIDES
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.procedure.session import carried_clamps
from alignment.readings import KINDS
from alignment.simulate.jobs import tools_truth
from alignment.simulate.world import TracedWorld

WELL = {"camber": -0.4, "caster": 4.0, "sai": 12.5, "toe_out": 1.8}
"""A sound wheel, degrees. Invented."""
FAULTS = [
    # what is wrong · pattern · what it does to the truth · what else is seen · the finding that names it
    ("left front leans in", "car", {"1/left/camber": -1.6}, {"wear": {(1, "left"): "inner"}}, "one-sided-wear/camber/1/left"),
    ("right front leans out", "car", {"1/right/camber": 1.6}, {"wear": {(1, "right"): "outer"}}, "one-sided-wear/camber/1/right"),
    ("front toes out", "car", {"1/total_toe": -0.6}, {"wear": {(1, "left"): "inner", (1, "right"): "inner"}}, "one-sided-wear/toe/1"),
    ("front toes in", "car", {"1/total_toe": 0.9}, {"wear": {(1, "left"): "outer"}}, "one-sided-wear/toe/1/left"),
    ("front toe feathers", "car", {"1/total_toe": 0.8}, {"wear": {(1, "right"): "feathered"}}, "feathered-wear/1/right"),
    ("soft tyre", "car", {}, {"wear": {(2, "left"): "both-shoulders"}}, "wear-that-is-not-alignment/2/left"),
    ("hard tyre", "car", {}, {"wear": {(2, "right"): "centre"}}, "wear-that-is-not-alignment/2/right"),
    ("a damper leaks", "car", {}, {"wear": {(1, "left"): "cups"}}, "wear-that-is-not-alignment/1/left"),
    ("rear steers, wheel off centre", "van", {"2/bearing": 0.4}, {"complaints": {"wheel-off-centre"}}, "wheel-off-centre/thrust"),
    ("front toes unequal, wheel off centre", "van", {"1/bearing": 0.4}, {"complaints": {"wheel-off-centre"}}, "wheel-off-centre/front-toes"),
    ("drag link off, wheel off centre", "truck_4x2", {"1/bearing": 0.4}, {"complaints": {"wheel-off-centre"}, "linked": {1}}, "wheel-off-centre/drag-link"),
    ("cross camber pulls left", "car", {"1/left/camber": 0.7}, {"complaints": {"pulls-left"}}, "pull/cross_camber_deg"),
    ("cross caster pulls right", "car", {"1/right/caster": 2.6}, {"complaints": {"pulls-right"}}, "pull/cross_caster_deg"),
    ("the rear steers left", "car", {"2/bearing": 0.35}, {"complaints": {"pulls-left"}}, "pull/thrust_angle_deg"),
    ("a tyre pulls", "car", {}, {"complaints": {"pulls-right"}}, "pull/tyre/right"),
    ("strut tower moved out", "car", {"1/left/camber": 1.6, "1/left/sai": 10.5}, {}, "strut-or-spindle/tower/1/left"),
    ("spindle bent", "car", {"1/right/camber": 1.8}, {}, "strut-or-spindle/spindle/1/right"),
    ("struck on the right", "car", {"1/setback": 14.0, "1/right/caster": 2.0}, {}, "collision/1/right"),
    ("struck on the left", "car", {"1/setback": -14.0, "1/left/caster": 2.0}, {}, "collision/1/left"),
    ("steering arm bent", "car", {"1/toe_out_right_turn": 0.2}, {}, "steering-arm/1"),
    ("beam bent", "car_beam", {"2/left/camber": -2.4}, {}, "beam-axle/2/left"),
    ("rear link bent", "car", {"2/total_toe": -0.8}, {}, "nothing-adjusts/2"),
    ("beam shifted in its seats", "car_beam", {"2/bearing": 0.4}, {}, "axle-shifted/2"),
    ("rear rods unequal", "van", {"2/bearing": -0.4}, {"adjusts": {"axles/2/left/toe_deg"}}, "axle-shifted/set/2"),
    ("tandem scrubs", "truck_6x4", {"3/bearing": 0.4}, {"wear": {(3, "left"): "feathered"}}, "scrub/2-3"),
    ("twin steer not parallel", "truck_8x4", {"2/bearing": 0.4}, {}, "twin-steer/1-2"),
    ("lift axle askew", "truck_6x2_lift_behind", {"3/bearing": -0.5}, {}, "scrub/2-3"),
    ("dead axle askew", "tractor_6x2", {"2/bearing": 0.5}, {}, "scrub/2-3"),
    ("one wheel pushed back", "car", {"1/setback": 15.0}, {}, "setback/1"),
    ("wanders for want of caster", "car", {"1/left/caster": 0.4, "1/right/caster": 0.4}, {"complaints": {"wanders"}}, "wanders/caster/1"),
    ("wanders for toe-out", "car", {"1/total_toe": -0.7}, {"complaints": {"wanders"}}, "wanders/toe/1"),
    ("ball joint loose", "car", {"1/left/camber": -1.6}, {"worn": {1: "ball joints and rod ends of the front axle"}}, "play/1"),
    ("trailer axle askew", "trailer_2", {"2/bearing": 0.5}, {"complaints": {"runs-crabwise"}}, "trailer-askew/2"),
    ("drawbar trailer askew", "trailer_1_drawbar", {"1/bearing": -0.5}, {}, "trailer-askew/1"),
]  # fmt: skip


def rules_of(on) -> list[Rule]:
    """Limits as wide as makers give them. Invented."""
    vehicle, found = on.vehicle, []
    for axle in vehicle.axles:
        n = axle.number
        found += [Rule("camber_deg", n, side, minimum=-1.2, maximum=0.6) for side in SIDES]
        found.append(Rule("total_toe_deg", n, minimum=-0.2, maximum=0.4))
        if axle.steers:
            found += [Rule("caster_deg", n, side, minimum=2.8, maximum=5.5) for side in SIDES]
            found += [Rule("sai_deg", n, side, minimum=11.5, maximum=13.5) for side in SIDES]
            found += [Rule("included_deg", n, side, minimum=10.8, maximum=13.4) for side in SIDES]
    if vehicle.thrust_axle is not None and vehicle.kingpin_mm is None:
        found.append(Rule("thrust_angle_deg", minimum=-0.15, maximum=0.15))
    found += [Rule("scrub_deg", axles=pair, minimum=-0.2, maximum=0.2) for pair in vehicle.fixed_pairs]
    found += [Rule("parallelism_deg", axles=pair, minimum=-0.2, maximum=0.2) for pair in vehicle.steered_pairs]
    return found


def truth_of(on, changes, rng=None) -> dict[str, float]:
    """A sound vehicle, well inside its limits, with what a fault changes."""
    near = (lambda spread: rng.gauss(0, spread)) if rng else (lambda _: 0.0)
    truth: dict[str, float] = {}
    for axle in on.vehicle.axles:
        at = f"axles/{axle.number}"
        truth |= {f"{at}/total_toe_deg": 0.1 + near(0.03), f"{at}/bearing_deg": near(0.01)}
        for side in SIDES:
            truth[f"{at}/{side}/camber_deg"] = WELL["camber"] + near(0.08)
            if axle.steers:
                truth |= {f"{at}/{side}/{name}_deg": WELL[name] + near(0.08) for name in ("caster", "sai")}
                truth[f"{at}/toe_out_{side}_turn_deg"] = WELL["toe_out"] + near(0.05)
    for name, value in changes.items():
        truth[f"axles/{name}_{'mm' if name.endswith('setback') else 'deg'}"] = value
    for axle in on.vehicle.axles:
        if axle.rigid:
            bearing = truth[f"axles/{axle.number}/bearing_deg"]
            truth[f"axles/{axle.number}/setback_mm"] = axle.track_mm * bearing / 57.29578
    return truth


def read(on, truth, rng) -> PhaseResults:
    """What cameras and a level bar tell of it, as far as they can be trusted; of a trailer, what tells its king pin's line."""
    tools = kit("target_cameras" if on.vehicle.kingpin_mm is None else "frame_cameras")
    blanks = [station.blank() for station in tools.stations(on.vehicle)]
    world = TracedWorld(on.vehicle, on.datum, truth | tools_truth(on, tools, blanks, set(), rng))
    made = []
    for station in tools.stations(on.vehicle):
        data = station.with_values(world.read(station, rng))
        made.append({"phase": "before", **data})
    made += carried_clamps(made, (), {}, tools.clamp_u_deg)
    found = [KINDS[data["kind"]](data) for data in made]
    return PhaseResults.from_solution(solve(on.vehicle, on.datum, found), rules_of(on))


def seen(results, known) -> Evidence:
    plain = {key: frozenset(value) if isinstance(value, set) else value for key, value in known.items()}
    return Evidence(results, **plain)


class Planted(unittest.TestCase):
    def test_the_right_cause_is_among_the_first_two(self):
        self.assertGreaterEqual(len(FAULTS), 30)
        for number, (name, code, changes, known, expected) in enumerate(FAULTS):
            on = pattern(code)
            results = read(on, truth_of(on, changes), random.Random(number))
            codes = [finding.code for finding in diagnose(seen(results, known))]
            with self.subTest(name):
                self.assertTrue(any(one.startswith(expected) for one in codes[:2]), codes)

    def test_of_sound_vehicles_nothing_is_said(self):
        codes = sorted({code for _, code, *_ in FAULTS})
        for number in range(200):
            rng = random.Random(1000 + number)
            on = pattern(codes[number % len(codes)])
            found = diagnose(Evidence(read(on, truth_of(on, {}, rng), rng)))
            self.assertEqual([finding.code for finding in found], [], number)

    def test_nothing_is_called_likely_that_the_readings_do_not_bear_out(self):
        # Each fault read so badly that nothing can be told from it: causes may be possible, none of them is likely.
        for number, (name, code, changes, known, _) in enumerate(FAULTS):
            if not changes or known.get("worn"):
                continue
            on = pattern(code)
            results = read(on, truth_of(on, changes), random.Random(number))
            blunt = {
                path: None if e is None else e._replace(u=30 * (e.u + 0.1)) for path, e in results.estimates.items()
            }
            doubtful = PhaseResults(results.solution, blunt, (), (), results.rules)
            with self.subTest(name):
                self.assertEqual([f.code for f in diagnose(seen(doubtful, known)) if f.sure == LIKELY], [])

    def test_what_wears_and_where_it_pulls_is_said_with_the_cause(self):
        on = pattern("truck_6x4")
        results = read(on, truth_of(on, {"3/bearing": 0.4}), random.Random(1))
        scrub = next(f for f in diagnose(Evidence(results)) if f.rule == "scrub")
        # Axle 3 points right of the way it is dragged: its tyres are pushed from the left, and wear there.
        self.assertIn("the right edges of the tyres of axle 2 and the left edges of those of axle 3 wear", scrub.left)
        self.assertIn("Left as it is: ", scrub.say())

    def test_play_comes_before_any_angle_and_what_was_looked_at_is_not_asked_for_again(self):
        on = pattern("car")
        results = read(on, truth_of(on, {"1/left/camber": -1.6}), random.Random(2))
        worn = {"wear": {(1, "left"): "inner"}, "worn": {1: "ball joints of the front axle"}}
        self.assertEqual(diagnose(seen(results, worn))[0].rule, "play")
        soft = {"wear": {(1, "left"): "both-shoulders"}}
        self.assertIn("pressure", diagnose(seen(results, soft))[0].confirm)
        self.assertEqual(diagnose(seen(results, soft | {"done": {"pressures"}}))[0].confirm, "")


if __name__ == "__main__":
    unittest.main()
