"""The street is one-way: what may import what."""

import ast
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
ORDER = ["common", "people", "fleets", "specs", "kits", "drawing", "jobs", "reports"]


def imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
    return found


class OneWay(unittest.TestCase):
    def test_the_core_knows_nothing_of_django_or_the_project(self):
        for path in (ROOT / "alignment").rglob("*.py"):
            outside = {name.split(".")[0] for name in imports(path)} & {"django", "rectaxis", "psycopg", "requests"}
            self.assertEqual(outside, set(), path)

    def test_no_app_imports_one_above_it(self):
        for app in ORDER:
            above = set(ORDER[ORDER.index(app) + 1 :])
            for path in (ROOT / "rectaxis" / app).rglob("*.py"):
                if "tests" in path.parts or "migrations" in path.parts:
                    continue
                used = {name.split(".")[1] for name in imports(path) if name.startswith("rectaxis.") and "." in name}
                self.assertEqual(used & above, set(), path)

    def test_no_template_or_script_has_inline_style_or_script(self):
        for path in (*(ROOT / "rectaxis").rglob("*.html"),):
            text = path.read_text()
            self.assertNotIn(" style=", text, path)
            self.assertNotIn(" onclick=", text, path)
            self.assertNotIn("<script>", text, path)
