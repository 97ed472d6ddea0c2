"""The street is one-way: what may import what, and name whose addresses. No file grows beyond what can be read."""

import ast
import re
import unittest
from functools import cache
from pathlib import Path

from tests.parts import PARTS

ROOT = Path(__file__).resolve().parent.parent
CORE = ["errors", "speech", "quantities", "checker", "model", "patterns", "readings", "estimate", "judge", "history", "adjust", "procedure", "live", "jobfile", "camera",
        "words", "simulate", "__main__"]  # fmt: skip
PLANNER = ["errors", "model", "clock", "network", "grid", "timing", "costs", "search", "first", "habits", "result", "why", "plan", "moved", "replan", "whatif", "durations",
        "checker", "examples", "__main__"]  # fmt: skip
APPS = ["common", "people", "fleets", "specs", "kits", "devices", "drawing", "record", "business", "sources", "visit", "stages", "day", "reports",
        "years", "post", "door", "rounds", "exchange", "demo"]  # fmt: skip
LONGEST, LONG, MOST_LONG = 450, 300, 0.1
ROOM = 1 / 3


def sources(folder):
    return [p for p in folder.rglob("*.py") if not {"tests", "migrations"} & set(p.parts)]


def module(path):
    parts = path.relative_to(ROOT).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


@cache
def parsed(path):
    """Every node of a file."""
    return tuple(ast.walk(ast.parse(path.read_text())))


def imports(path):
    """Names of the modules that a file imports as it is loaded or within its functions."""
    found = set()
    for node in parsed(path):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
    return found


def rooms(house, path):
    """The rooms of a house that a file imports from."""
    return {name.split(".")[1] for name in imports(path) if name.startswith(f"{house}.")}


class OneWay(unittest.TestCase):
    def test_the_core_knows_nothing_of_django_or_the_project(self):
        for house, others in (("alignment", {"planning"}), ("planning", {"alignment"})):
            for path in (ROOT / house).rglob("*.py"):
                outside = {name.split(".")[0] for name in imports(path)} & {
                    "django",
                    "rectaxis",
                    "psycopg",
                    "requests",
                    *others,
                }
                self.assertEqual(outside, set(), path)

    def test_the_checker_of_plans_shares_nothing_with_the_planner(self):
        self.assertEqual(
            {name for name in imports(ROOT / "planning" / "checker.py") if name.startswith("planning")}, set()
        )

    def test_a_stand_in_speaks_the_open_feed_and_knows_nothing_else_of_the_project(self):
        for path in (ROOT / "standins").rglob("*.py"):
            outside = {name.split(".")[0] for name in imports(path)} & {"django", "rectaxis", "psycopg"}
            self.assertEqual(outside, set(), path)

    def test_no_room_imports_one_above_it(self):
        for house, order in (("alignment", CORE), ("planning", PLANNER), ("rectaxis", APPS)):
            for path in sources(ROOT / house):
                room = path.relative_to(ROOT / house).with_suffix("").parts[0]
                if room in ("__init__", "asgi", "urls", "settings"):
                    continue
                self.assertIn(room, order, path)
                above = set(order[order.index(room) + 1 :])
                self.assertEqual(rooms(house, path) & above, set(), path)

    def test_no_two_modules_import_each_other_by_any_way_round(self):
        paths = {
            module(path): path for house in ("alignment", "planning", "rectaxis") for path in sources(ROOT / house)
        }
        uses = {name: (imports(path) & set(paths)) - {name} for name, path in paths.items()}
        # A package's docstring file that only gathers its modules is no step of a way.
        left = dict(uses)
        while True:
            free = {name for name, used in left.items() if not used & set(left)}
            if not free:
                break
            left = {name: used for name, used in left.items() if name not in free}
        self.assertEqual(left, {}, "a cycle of imports")

    def test_no_app_names_an_address_above_it(self):
        spaces = {
            "people": "people",
            "fleets": "fleets",
            "specs": "specs",
            "kits": "kits",
            "devices": "devices",
            "visit": "visit",
            "day": "day",
            "reports": "reports",
            "post": "post",
            "door": "door",
            "rounds": "rounds",
        }
        for app in APPS:
            above = {spaces[name] for name in APPS[APPS.index(app) + 1 :] if name in spaces}
            for path in (*(ROOT / "rectaxis" / app).rglob("*.html"), *sources(ROOT / "rectaxis" / app)):
                named = set(re.findall(r"""["'](\w+):[a-z-]+["']""", path.read_text()))
                self.assertEqual(named & above, set(), path)

    def test_no_app_below_the_record_asks_the_database_for_what_lies_above(self):
        for app in APPS[: APPS.index("record")]:
            for path in sources(ROOT / "rectaxis" / app):
                self.assertNotRegex(path.read_text(), r"""["']jobs__|\.jobs\b|_set\b(?=\.)""", path)

    def test_reports_are_made_of_seals(self):
        for name in ("content", "pdf"):
            used = imports(ROOT / "rectaxis" / "reports" / f"{name}.py")
            self.assertEqual(
                {one for one in used if one.startswith(("alignment", "rectaxis.visit", "rectaxis.stages"))}, set(), name
            )

    def test_no_template_or_script_has_inline_style_or_script(self):
        for path in (*(ROOT / "rectaxis").rglob("*.html"),):
            text = path.read_text()
            self.assertNotIn(" style=", text, path)
            self.assertNotIn(" onclick=", text, path)
            self.assertNotIn("<script>", text, path)


class Complete(unittest.TestCase):
    def test_every_file_of_tests_is_in_a_part_that_is_run(self):
        named = {label for labels in PARTS.values() for label in labels}
        for path in (ROOT / "tests").glob("test_*.py"):
            self.assertIn(f"tests.{path.stem}", named)

    def test_what_the_page_on_security_says_is_shown_by_a_test_is_there(self):
        said = (ROOT / "docs" / "security.md").read_text()
        files = [*ROOT.glob("rectaxis/*/tests/test_*.py"), *ROOT.glob("tests/test_*.py")]
        there = {
            f"{(path.parent.parent if path.parent.parent != ROOT else path.parent).name}/{path.stem}" for path in files
        }
        names = {name for path in files for name in re.findall(r"def test_(\w+)", path.read_text())}
        cited = re.findall(r"\*([a-z0-9_]*_[a-z0-9_]*)(…?)\*", said)
        self.assertGreater(len(cited), 20)
        lost = [name for name, cut in cited if not any(one.startswith(name) if cut else one == name for one in names)]
        self.assertEqual(lost + [file for file in re.findall(r"\b(\w+/test_\w+)\b", said) if file not in there], [])


class Sizes(unittest.TestCase):
    def test_files_can_be_read_and_no_room_is_most_of_its_house(self):
        for house in ("alignment", "rectaxis"):
            lines = {path: len(path.read_text().splitlines()) for path in sources(ROOT / house)}
            self.assertEqual({str(p): n for p, n in lines.items() if n > LONGEST}, {})
            self.assertLessEqual(sum(n > LONG for n in lines.values()), MOST_LONG * len(lines))
            of_room = {}
            for path, n in lines.items():
                room = path.relative_to(ROOT / house).parts[0]
                of_room[room] = of_room.get(room, 0) + n
            for room, n in of_room.items():
                self.assertLessEqual(n, ROOM * sum(lines.values()), room)

    def test_functions_can_be_read(self):
        bodies = {}
        for house in ("alignment", "planning", "rectaxis"):
            for path in sources(ROOT / house):
                for node in parsed(path):
                    if isinstance(node, ast.FunctionDef):
                        bodies[f"{path}:{node.name}"] = node.end_lineno - node.body[0].lineno + 1
        self.assertGreaterEqual(sum(n <= 25 for n in bodies.values()), 0.9 * len(bodies))
        self.assertLess(
            sum(n > 50 for n in bodies.values()), 0.02 * len(bodies), {k: n for k, n in bodies.items() if n > 50}
        )

    def test_no_line_of_a_template_a_style_or_a_script_is_longer_than_a_screen(self):
        found = [path for end in ("html", "css", "js") for path in (ROOT / "rectaxis").rglob(f"*.{end}")]
        for path in (path for path in found if not {"vendor", "tests"} & {*path.parts}):
            for number, line in enumerate(path.read_text().splitlines(), start=1):
                self.assertLessEqual(len(line), 160, f"{path}:{number}")
