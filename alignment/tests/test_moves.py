"""Every kind of adjuster, moved by the program's own advice on rigid bodies, and read again with tools that err."""

import unittest

from alignment.adjust.advice import advise
from alignment.adjust.hardware import KINDS, hardware_of
from alignment.adjust.learning import Learned, Moved
from alignment.adjust.standing import Moment, Standing, result_changes
from alignment.adjust.wishes import Wishes
from alignment.judge.results import PhaseResults
from alignment.judge.verdict import Rule
from alignment.model.vehicle import SIDES
from alignment.patterns import pattern
from alignment.procedure.again import worth_reading_again
from alignment.procedure.schools import default_school
from alignment.simulate.moving import Body
from alignment.simulate.visits import ENTRIES, MadeUpVisit
from alignment.tests.cases import flags, reading, solved

SHARE = 0.85
"""What each adjuster really does, of what its dimensions say: hidden from the program."""
TOLD = 0.25
"""How far beyond its limits the angle stands that the adjuster is to bring in, degrees (or tens of mm)."""


class EveryKind(unittest.TestCase):
    def test_each_kind_is_tried(self):
        self.assertEqual(set(ENTRIES), set(KINDS))

    def test_moved_as_advised_the_vehicle_is_read_as_it_stands_and_the_move_teaches_what_it_did(self):
        for kind in ENTRIES:
            with self.subTest(kind=kind):
                self.moved(kind, 3)

    def moved(self, kind: str, seed: int) -> None:
        yard = MadeUpVisit(kind, seed)
        before = yard.results(moved=False)
        nominal = yard.one.adjuster()
        ends = nominal.effect_at(nominal.positions[-1])
        goal = next(path for path in ends if ends[path] and before.estimates.get(path) is not None)
        middle = nominal.positions.index(nominal.installed)
        least = abs(nominal.effect_at(nominal.positions[middle + 1])[goal])
        told = max(10 * TOLD if goal.endswith("mm") else TOLD, least)
        reach = abs(nominal.effect_at(nominal.positions[-1])[goal])
        away = min(told, 0.6 * reach) * (1 if ends[goal] > 0 else -1)
        wanted = before.value(goal) + away
        rule = Rule(
            *_subject(goal), minimum=wanted - 0.1 * abs(away), maximum=wanted + 0.1 * abs(away), preferred=wanted
        )
        aimed = PhaseResults.from_solution(before.solution, [rule])
        learned = Learned.before([yard.one])
        order = default_school(yard.on.vehicle, yard.on.datum).order(yard.on.vehicle)
        wishes = Wishes("all", "fewest", straight=False)
        steps = advise(Standing([Moment(aimed)]), [yard.one], {}, learned, wishes, order).steps
        self.assertEqual([step.hardware.id for step in steps], [yard.one.id])
        step = steps[0]
        was = dict(yard.body.truth)
        yard.body.move(yard.one, step.start, step.to, SHARE)
        after = yard.results(moved=True)
        for path, estimate in after.estimates.items():
            if estimate is not None and path.endswith(("camber_deg", "caster_deg", "sai_deg", "toe_deg", "offset_mm")):
                self.assertLess(abs(estimate.value - yard.true(after, path)), 3.3 * estimate.u + 2e-3, path)
        self.assertTrue(after.solution.consistent)
        at, to = (nominal.effect_at(position) for position in (step.start, step.to))
        changes = {path: to.get(path, 0.0) - at.get(path, 0.0) for path in {*at, *to}}
        layout = before.solution.layout
        history = [(before.estimates, [Moved(yard.one.id, result_changes(layout, changes))])]
        taught = learned.after(history, after.estimates)
        belief = taught.of(yard.one.id)
        self.assertIn(yard.one.id, taught.taught)
        self.assertLess(belief.u, learned.of(yard.one.id).u)
        self.assertLess(abs(belief.share - SHARE), 3 * belief.u)
        if yard.one.knuckle:
            wheel = f"axles/{yard.one.axle}/left"
            leaned = yard.body.truth[f"{wheel}/camber_deg"] - was[f"{wheel}/camber_deg"]
            toe = yard.body.toe(yard.one.axle, "left") - Body(yard.on.vehicle, was).toe(yard.one.axle, "left")
            self.assertGreater(abs(toe / leaned), 0.1, "the knuckle turns as it leans")
            found = taught.toe_of(yard.one.id)
            self.assertLess(abs(found.share - toe / leaned), 3 * found.u)


def _subject(path: str) -> tuple:
    match path.split("/"):
        case ["axles", axle, side, quantity]:
            return quantity, int(axle), side
        case ["axles", axle, quantity]:
            return quantity, int(axle)
    return (path,)


class Knuckle(unittest.TestCase):
    """A rigid knuckle: common practice, no source, for 0.2 to 1.7 degrees of toe for each of camber, of either sign."""

    def leaned(self, height):
        on = pattern("car")
        truth = {
            f"axles/1/{side}/{name}_deg": value for side in SIDES for name, value in (("caster", 4.0), ("sai", 12.0))
        }
        body = Body(on.vehicle, truth, rod_height_mm=height)
        (cam,) = hardware_of([{"kind": "cam", "axle": 1, "side": "left", "height_mm": 320.0, "throw_mm": 5.0}])
        body.move(cam, "0", "6")
        return body

    def test_toe_comes_with_camber_by_the_rods_height_and_the_included_angle_stays(self):
        ratios = []
        for height in (-120.0, 60.0, 200.0):
            body = self.leaned(height)
            camber, sai = (body.truth[f"axles/1/left/{name}_deg"] for name in ("camber", "sai"))
            self.assertGreater(abs(camber), 0.5)
            # But for what the turn about a leaning axis adds: of the second order.
            self.assertAlmostEqual(camber + sai, 12.0, delta=0.15)
            ratios.append(body.toe(1, "left") / camber)
        self.assertLess(min(ratios), -0.2)
        self.assertGreater(max(ratios) - min(ratios), 1.0)


if __name__ == "__main__":
    unittest.main()


class WorthReadingAgain(unittest.TestCase):
    """A scale square to a wheel follows its toe; what it says is the setback, which toe does not change."""

    def asked(self, effect: dict[str, float], *rules: Rule) -> set[str]:
        read = [
            reading(kind, 2, **fields)
            for kind, fields in (
                ("toe_scales", {"left_mm": 1.0, "right_mm": 1.0, "reference_diameter_mm": 400, "heads": "forward"}),
                ("setback_scales", {"left_mm": 40.0, "right_mm": 42.0}),
                ("camber", {"side": "left", "deg": -0.5}),
            )
        ]
        before = PhaseResults.from_solution(solved(*read, flags(2, 0.0, 0.0)), rules)
        return {before.solution.readings[index].data["kind"] for index in worth_reading_again(before, [effect])}

    def test_a_setback_scale_is_asked_for_again_where_setback_is_judged_or_was_moved(self):
        toe, setback = {"axles/2/left/toe_deg": 0.1}, Rule("setback_mm", 2, None, minimum=-5, maximum=5)
        self.assertEqual(self.asked(toe), {"toe_scales", "outboard_pair"})
        self.assertIn("setback_scales", self.asked(toe, setback))
        self.assertIn("setback_scales", self.asked({"axles/2/setback_mm": 3.0}))
        self.assertNotIn("toe_scales", self.asked({"axles/2/left/camber_deg": 0.2}))
        self.assertIn("camber", self.asked({"axles/2/left/camber_deg": 0.2}))
