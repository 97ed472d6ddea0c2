"""A database of the previous version: migrated, brought up to date, and its records and reports still there."""

import gzip
import os
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlsplit, urlunsplit

import psycopg
from django.apps import apps
from django.conf import settings
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.state import ProjectState
from django.test import SimpleTestCase
from django_migration_linter.sql_analyser import analyse_sql_statements
from django_migration_linter.sql_analyser.postgresql import PostgresqlAnalyser

from rectaxis.record.models import Job

DUMP = Path(settings.PACKAGE) / "record" / "tests" / "version_0_1.sql.gz"
AGAIN = "== and again =="
UPGRADE = """
from django.core.management import call_command
from django.test import Client
from rectaxis.people.models import User
from rectaxis.record.models import Job
call_command("migrate", verbosity=0)
call_command("bring_up_to_date")
print(AGAIN)
call_command("bring_up_to_date")
print(AGAIN)
client = Client()
client.force_login(User.objects.get(username="mara"), backend="django.contrib.auth.backends.ModelBackend")
for unit in ("Van 9", "Van 2"):
    print(client.get(f"/reports/{Job.objects.get(vehicle__unit=unit).pk}/").content.decode())
van = Job.objects.get(vehicle__unit="Van 21")
for stage in ("look", "read", "judge", "set", "history"):
    assert client.get(f"/jobs/{van.pk}/{stage}/").status_code == 200, stage
"""


class PreviousVersion(SimpleTestCase):
    name = "test_rectaxis_previous"

    def setUp(self):
        address = urlsplit(os.environ["RECTAXIS_DATABASE"])
        self.server, self.url = (urlunsplit(address._replace(path=f"/{name}")) for name in ("postgres", self.name))
        self.on_the_server(f"DROP DATABASE IF EXISTS {self.name}")
        self.on_the_server(f"CREATE DATABASE {self.name}")
        # Not by force: a server that tidies the database up at that moment may not be stopped by us, and steps aside by itself.
        self.addCleanup(self.on_the_server, f"DROP DATABASE {self.name}")
        with psycopg.connect(self.url) as connection:
            connection.execute(gzip.decompress(DUMP.read_bytes()).decode())

    def on_the_server(self, sql):
        with psycopg.connect(self.server, autocommit=True) as connection:
            connection.execute(sql)

    def ask(self, sql):
        with psycopg.connect(self.url) as connection:
            return connection.execute(sql).fetchall()

    def manage(self, *words):
        environment = os.environ | {"RECTAXIS_DATABASE": self.url}
        done = subprocess.run([sys.executable, "manage.py", *words], cwd=settings.ROOT, env=environment,
                              capture_output=True, text=True, check=False)  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        return done.stdout

    def test_a_database_of_the_previous_version_is_brought_up_to_date_and_loses_nothing(self):
        before = self.ask("SELECT id, typed FROM jobs_entry WHERE value IS NOT NULL ORDER BY id")
        with psycopg.connect(self.url) as connection:
            connection.execute(
                "UPDATE fleets_vehicle SET layout = jsonb_set(layout, '{group}', '\"truck\"') WHERE unit = 'Van 2'"
            )
        first, second, said = self.manage("shell", "-v0", "-c", f"AGAIN = {AGAIN!r}{UPGRADE}").split(f"{AGAIN}\n")
        self.assertRegex(first, r"^\d+ visits")
        self.assertEqual(second, "")
        self.assertEqual(self.ask("SELECT id, typed FROM jobs_entry WHERE value IS NOT NULL ORDER BY id"), before)
        unordered = self.ask(
            "SELECT count(*) FROM jobs_entry a JOIN jobs_entry b USING (job_id) WHERE a.id < b.id AND a.sequence >= b.sequence"
        )
        self.assertEqual(unordered, [(0,)])
        answers = dict(
            self.ask("SELECT slot, typed FROM jobs_entry e JOIN jobs_job j ON j.id = e.job_id WHERE j.status = 'open'")
        )
        for slot, typed in (
            ("arrive/reason", "wheel-off-centre"), ("look/part/1/joints", "unsafe"), ("rig/ground", "tilted"),
            ("roll/locked", "level"), ("gate/unsafe/look/part/1/joints", "known"),
            ("judge/finding/wheel-off-centre/thrust", "agreed"),
        ):  # fmt: skip
            self.assertEqual(answers.get(slot), typed, slot)
        happened = {what for (what,) in self.ask("SELECT what FROM jobs_event")}
        self.assertLessEqual({"done", "ended"}, happened)
        self.assertLessEqual(happened, set(Job.Status.values))
        for (rig,) in self.ask("SELECT rig FROM jobs_job WHERE status = 'planned' AND rig->>'code' = 'flag_lasers'"):
            pairs = [s["reading"] for s in rig["stations"] if s["reading"]["kind"] == "outboard_pair"]
            self.assertTrue(pairs and all(pair["clamp"] == "raw" for pair in pairs))
        trucks = self.ask("SELECT layout FROM fleets_vehicle WHERE layout->>'group' = 'truck'")
        for (layout,) in trucks:
            kinds = {one["kind"] for one in layout["adjusters"] if one["axle"] == 1}
            self.assertEqual(kinds, {"track_rod", "drag_link"})
            self.assertEqual(layout["changed"], ["beam-steer"])
        self.assertEqual(len(trucks), 1)
        for words in ("Wheel alignment, Van 9", "Before and after", "Steering angle sensor: reset done", "Left front tyre: replace it",
                      "Received by Edda Quill", "left front spring is broken", "left coil broken", "unsafe: stop"):  # fmt: skip
            self.assertIn(words, said)


class BesideARunningProgram(SimpleTestCase):
    """An upgrade changes tables while the version before still works with them. Nothing is written here, and what makes an
    index beside others may not stand in a transaction.
    """

    databases = ("default",)
    BEFORE = {
        "business": "0002 0003 0004", "devices": "0003", "fleets": "0002 0003 0005 0007",
        "jobs": "0002 0003 0004 0005 0007 0010 0011 0012 0017 0018", "kits": "0002 0003 0004 0005 0006",
        "people": "0002 0003 0005 0006", "post": "0002 0004", "specs": "0002 0003",
    }  # fmt: skip
    """Those that were made before this was looked at."""
    PROOF = ("jobs", "0005")
    """One of them is looked at: that faults are seen at all."""

    def test_no_migration_holds_a_table_for_long_or_takes_from_the_version_before_what_it_needs(self):
        loader = MigrationLoader(connection, replace_migrations=False)
        ours = {app.label for app in apps.get_app_configs() if app.name.startswith("rectaxis.")}
        before = {(app, number) for app, numbers in self.BEFORE.items() for number in numbers.split()}
        state, faults = ProjectState(real_apps=loader.unmigrated_apps), {}
        for app, name in self.in_order(loader.graph):
            migration, key = loader.graph.nodes[app, name], (app, name.split("_")[0])
            if app not in ours or (key in before and key != self.PROOF):
                state = migration.mutate_state(state, preserve=False)
                continue
            with connection.schema_editor(collect_sql=True, atomic=migration.atomic) as editor:
                state = migration.apply(state, editor, collect_sql=True)
            sql = [line for line in editor.collected_sql if not line.startswith("--")]
            whole = ["BEGIN;", *sql, "COMMIT;"] if migration.atomic else sql
            errors, _, warnings = analyse_sql_statements(PostgresqlAnalyser, whole, [])
            if errors or warnings:
                faults[key] = [str(one.message) for one in errors + warnings]
        self.assertIn("DROP INDEX locks table", faults.pop(self.PROOF))
        self.assertEqual(faults, {}, "see docs/contributing.md, A change to the record")

    @staticmethod
    def in_order(graph):
        return list(dict.fromkeys(key for leaf in sorted(graph.leaf_nodes()) for key in graph.forwards_plan(leaf)))
