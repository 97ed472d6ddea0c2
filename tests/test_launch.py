"""What ./run does when the machine is not as it should be."""

import contextlib
import io
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import psycopg

from launch import CannotStartError, backup, cluster, environment, held, packages, processes
from launch.__main__ import _behind, _check_port, _wanted_port, main
from launch.install import install

ROOT = Path(__file__).resolve().parent.parent


class Ports(unittest.TestCase):
    def test_a_taken_port_gets_a_line_that_names_another(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            with self.assertRaisesRegex(CannotStartError, f"--port {port + 1}"):
                _check_port(port)
            self.assertNotEqual(cluster.free_port(port), port)
        self.assertEqual(cluster.free_port(port), port)

    def test_a_port_that_is_none_is_refused(self):
        self.assertEqual((_wanted_port([]), _wanted_port(["--port", "9000"])), (8000, 9000))
        for words in (["--port", "80"], ["--port", "x"], ["9000"], ["--port"], ["--port", "70000"]):
            with self.assertRaises(CannotStartError):
                _wanted_port(words)


class Commands(unittest.TestCase):
    def test_help_lists_the_commands_and_an_unknown_one_fails_with_it(self):
        done = subprocess.run(["./run", "help"], cwd=ROOT, capture_output=True, text=True, check=True)
        for word in ("demo", "serve", "test", "bench", "lint"):
            self.assertIn(f"./run {word}", done.stdout)
        with contextlib.redirect_stderr(io.StringIO()) as said:
            self.assertEqual(main(["fly"]), 2)
        self.assertIn("./run demo", said.getvalue())


class Kept(unittest.TestCase):
    def test_what_ends_is_started_again_for_as_long_as_it_was_ready_once_and_one_that_never_is_ends_all(self):
        with (
            tempfile.TemporaryDirectory() as folder,
            contextlib.redirect_stdout(io.StringIO()) as said,
            mock.patch.object(processes, "_AGAIN_S", 0.05),
        ):
            starts = Path(folder) / "starts"
            starts.touch()
            falls = [sys.executable, "-c", f"open({str(starts)!r}, 'a').write('x')\nraise SystemExit(7)"]
            stays = [sys.executable, "-c", "import time; time.sleep(60)"]
            commands = {"first": falls, "second": stays}
            self.assertEqual(processes.Processes(commands, {}).run(lambda: False, lambda: None), 7)
            self.assertEqual(len(starts.read_text()), 4)

            def look():
                if len(starts.read_text()) > 10:
                    raise KeyboardInterrupt

            with mock.patch.object(processes, "_LOOK_S", 0.0), mock.patch.object(processes, "_LONGEST_S", 0.1):
                self.assertEqual(processes.Processes(commands, {}).run(lambda: True, lambda: None, look), 0)
        self.assertIn("The first ended with 7; it is started again.", said.getvalue())

    def test_what_a_killed_program_leaves_behind_is_ended_before_it_starts_again(self):
        with (
            tempfile.TemporaryDirectory() as folder,
            contextlib.redirect_stdout(io.StringIO()),
            mock.patch.object(processes, "_AGAIN_S", 0.1),
        ):
            left = Path(folder) / "left"
            leaves = (
                "import os, subprocess, sys\n"
                "child = subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(60)'])\n"
                f"open({str(left)!r}, 'a').write(f'{{child.pid}} ')\n"
                "os.kill(os.getpid(), 9)"
            )
            self.assertEqual(
                processes.Processes({"web": [sys.executable, "-c", leaves]}, {}).run(lambda: False, lambda: None), -9
            )
            children = [int(word) for word in left.read_text().split()]
            self.assertEqual(len(children), 4)
            for child in children:
                self.assertTrue(any(self.gone(child) or time.sleep(0.1) for _ in range(50)), "it runs no more")

    @staticmethod
    def gone(process):
        try:
            return " Z " in Path(f"/proc/{process}/stat").read_text()
        except OSError:
            return True

    def test_a_second_start_says_where_the_first_one_runs_and_a_lock_ends_with_whoever_held_it(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "serve.running"
            with (
                held.running(path, "Rectaxis at http://127.0.0.1:8000/"),
                self.assertRaisesRegex(CannotStartError, "already: Rectaxis at http://127.0.0.1:8000/ .process"),
                held.running(path, "a second"),
            ):
                self.fail("two run at once")
            with held.running(path, "again"):
                pass

    def test_a_secret_is_there_whole_or_not_at_all_and_for_its_owner_alone(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "sub" / "secret"
            with (
                mock.patch.object(held.os, "fsync", side_effect=OSError("the disk is full")),
                self.assertRaises(OSError),
            ):
                held.write_whole(path, "half")
            self.assertEqual(list(path.parent.iterdir()), [], "nothing of a secret is left lying")
            held.write_whole(path, "whole")
            self.assertEqual((path.read_text(), path.stat().st_mode & 0o777), ("whole", 0o600))

    def test_nobody_is_believed_where_a_request_came_from_but_a_proxy_that_was_set_up(self):
        self.assertEqual(_behind(""), ["--no-proxy-headers"])
        self.assertEqual(_behind("10.0.0.2"), ["--proxy-headers", "--forwarded-allow-ips", "10.0.0.2"])


class Machine(unittest.TestCase):
    def test_missing_packages_without_root_or_sudo_are_named(self):
        with (
            mock.patch.object(packages, "_missing", return_value=["postgresql"]),
            mock.patch.object(packages.os, "geteuid", return_value=1000),
            mock.patch.object(packages.shutil, "which", side_effect=lambda name: None if name == "sudo" else "/bin/x"),
            contextlib.redirect_stdout(io.StringIO()),
            self.assertRaisesRegex(CannotStartError, "apt-get install postgresql"),
        ):
            packages.ensure_packages(browser=False)

    def test_an_environment_that_was_left_half_made_is_made_anew(self):
        with tempfile.TemporaryDirectory() as folder:
            venv = Path(folder) / ".venv"
            (venv / "half").mkdir(parents=True)
            ran = []
            with (
                mock.patch.object(environment, "_VENV", venv),
                mock.patch.object(environment, "_STAMP", venv / "made-from"),
                mock.patch.object(
                    environment.subprocess,
                    "run",
                    side_effect=lambda c, **_: (
                        ran.append(c),
                        (venv.parent / ".venv.new").mkdir(exist_ok=True),
                        mock.Mock(returncode=len(ran) == fails),
                    )[2],
                ),
                contextlib.redirect_stdout(io.StringIO()),
            ):
                fails = 2
                with self.assertRaisesRegex(CannotStartError, "installing uv"):
                    environment.ensure_environment()
                self.assertTrue((venv / "half").exists(), "what is in use stays until another is whole")
                fails = 0
                ran.clear()
                environment.ensure_environment()
            self.assertFalse((venv / "half").exists())
            self.assertEqual([path.name for path in venv.parent.iterdir()], [".venv"])
            self.assertEqual(len(ran), 3)
            self.assertIn("--require-hashes", ran[2])


class Clusters(unittest.TestCase):
    def test_a_cluster_left_half_made_is_made_anew_and_starts_again_after_a_stop(self):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder).chmod(0o755)
            with mock.patch.object(cluster, "VAR", Path(folder)):
                one = cluster.Cluster("trial", durable=False)
                (one.folder / "data").mkdir(parents=True)
                (one.folder / "data" / "PG_VERSION").write_text("15")
                one.start()
                url = one.url
                again = cluster.Cluster("trial", durable=False)
                again.start()
                one.stop()
                self.assertEqual(again._control("status", check=False).returncode, 0, "somebody else uses it still")
                again.stop()
                self.assertNotEqual(again._control("status", check=False).returncode, 0)
                one.start()
                self.assertEqual(one.url, url, "the password stays, and the port where nobody took it")
                self.is_kept_up(one)
                one.stop()
                password = Path(folder) / "trial.password"
                self.assertEqual(password.stat().st_mode & 0o777, 0o600)

    def is_kept_up(self, one):
        """Killed in the midst, it is there again under the address that its users know, with what it had."""
        with psycopg.connect(one.url, autocommit=True) as connection:
            connection.execute("SET synchronous_commit = on")
            connection.execute("CREATE TABLE kept AS SELECT 1 AS n")
        self.assertFalse(one.keep_up())
        url, postmaster = one.url, int((one.data / "postmaster.pid").read_text().split()[0])
        os.kill(postmaster, signal.SIGKILL)
        with contextlib.redirect_stdout(io.StringIO()):
            self.assertTrue(any(one.keep_up() or time.sleep(0.2) for _ in range(50)))
        self.assertEqual(one.url, url)
        with psycopg.connect(one.url) as connection:
            self.assertEqual(connection.execute("SELECT n FROM kept").fetchall(), [(1,)])


class Installed(unittest.TestCase):
    def test_systemd_takes_the_units_that_are_written(self):
        with tempfile.TemporaryDirectory() as folder:
            said = install(Path(folder))
            self.assertIn("systemctl enable --now rectaxis.service", said)
            units = sorted(map(str, Path(folder).iterdir()))
            self.assertEqual(len(units), 3)
            if shutil.which("systemd-analyze") is None:
                self.skipTest("no systemd-analyze on this machine")
            done = subprocess.run(["systemd-analyze", "verify", *units], capture_output=True, text=True, check=False)
            mine = [line for line in done.stderr.splitlines() if folder in line or "rectaxis" in line.lower()]
            self.assertEqual((done.returncode, mine), (0, []), done.stderr)


class Deployed(unittest.TestCase):
    def test_settings_behind_a_proxy_with_tls_pass_the_frameworks_own_check(self):
        settings = {"RECTAXIS_SITE": "https://yard.example", "RECTAXIS_PROXY": "127.0.0.1", "RECTAXIS_HOSTS": "yard.example", "RECTAXIS_DEMO": "",
                    "RECTAXIS_SECRET_KEY": "a-key-of-the-tests-" + "0123456789" * 4, "RECTAXIS_DATABASE": "postgresql://a:b@127.0.0.1:1/x",
                    "DJANGO_SETTINGS_MODULE": "rectaxis.settings.local"}  # fmt: skip
        command = [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"]
        done = subprocess.run(command, cwd=ROOT, env=os.environ | settings, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr[-800:])


class Backups(unittest.TestCase):
    def sql(self, cluster, sql):
        with psycopg.connect(cluster.url, autocommit=True) as connection:
            done = connection.execute(sql)
            return done.fetchall() if done.description else []

    def spoiled_ones_are_refused(self, made, restore):
        broken, unfinished = (made.parent.parent / name for name in ("broken", "unfinished"))
        for bad in (broken, unfinished):
            shutil.copytree(made, bad)
        (broken / backup.FILES).write_bytes(b"cut off")
        (unfinished / backup.MANIFEST).unlink()
        for bad, words in ((broken, "not what its manifest says"), (unfinished, "never finished")):
            with self.assertRaisesRegex(CannotStartError, words):
                restore(bad)

    def one_in_use_is_not_replaced(self, one, restore):
        """Nothing of the try is left."""
        with (
            psycopg.connect(one.url),
            self.assertRaisesRegex(CannotStartError, "(?s)nothing was changed.*other users"),
        ):
            restore()
        self.assertEqual(self.sql(one, "SELECT count(*) FROM pg_database WHERE datname LIKE 'rectaxis%'"), [(1,)])
        self.assertEqual([path.name for path in cluster.VAR.glob("media*")], ["media"])

    def test_what_was_backed_up_comes_back_the_same_and_what_was_there_is_kept_and_a_broken_one_changes_nothing(self):
        with tempfile.TemporaryDirectory() as place, mock.patch.object(cluster, "VAR", Path(place)):
            folder = Path(place)
            folder.chmod(0o755)
            media, secret = folder / "media", folder / "secret-key"
            (media / "photos").mkdir(parents=True)
            (media / "photos" / "a.jpg").write_bytes(b"one")
            (media / "reports").mkdir()
            (media / "reports" / "made-again.pdf").write_bytes(b"x")
            secret.write_text("first")
            one = cluster.Cluster("kept", durable=False)
            one.start()
            try:
                self.sql(one, "CREATE EXTENSION pg_trgm")
                self.sql(one, "CREATE TABLE visit AS SELECT n, 'typed ' || n AS said FROM generate_series(1, 500) n")
                self.sql(one, "CREATE TABLE jobs_link AS SELECT 7 AS number, 'abc' AS mac UNION SELECT 8, 'def'")
                made = backup.back_up(one, media, secret, folder / "to")
                self.assertEqual(backup.anchor_of(made), "8-def", "what is cut off later is found by it")
                self.assertEqual(made.stat().st_mode & 0o77, 0, "nobody else reads it")
                self.sql(one, "DELETE FROM visit WHERE n > 10")
                (media / "photos" / "a.jpg").write_bytes(b"other")
                secret.write_text("second")
                self.spoiled_ones_are_refused(made, lambda bad: backup.restore(one, media, secret, bad))
                self.assertEqual(self.sql(one, "SELECT count(*) FROM visit"), [(10,)])
                self.one_in_use_is_not_replaced(one, lambda: backup.restore(one, media, secret, made))
                said = backup.restore(one, media, secret, made)
                self.assertEqual(
                    self.sql(one, "SELECT count(*), sum(n), max(said) FROM visit"), [(500, 125250, "typed 99")]
                )
                self.assertEqual(((media / "photos" / "a.jpg").read_bytes(), secret.read_text()), (b"one", "first"))
                self.assertFalse((media / "reports").exists())
                # The way back: all that was there is there still, by the names that were said.
                before = re.search(r"rectaxis_before_\w+", said).group()
                url = one.url.rpartition("/")[0] + f"/{before}"
                with psycopg.connect(url) as connection:
                    self.assertEqual(connection.execute("SELECT count(*) FROM visit").fetchall(), [(10,)])
                (old,) = folder.glob("media.before_*")
                self.assertEqual((old / "photos" / "a.jpg").read_bytes(), b"other")
            finally:
                one.stop()

    def test_what_is_sealed_while_it_is_backed_up_is_no_part_of_the_head_that_it_keeps(self):
        asked = []
        with (
            tempfile.TemporaryDirectory() as place,
            mock.patch.object(
                backup, "_tool", side_effect=lambda _, tool, *words: (asked.append(tool), self.dumped(tool, words))[1]
            ),
            mock.patch.object(backup, "_name", return_value="x"),
        ):
            backup.back_up(mock.Mock(), Path(place) / "media", Path(place) / "secret", Path(place))
        self.assertLess(max(n for n, tool in enumerate(asked) if tool == "psql"), asked.index("pg_dump"))

    @staticmethod
    def dumped(tool, words):
        if tool == "pg_dump":
            Path(words[words.index("--file") + 1]).touch()
        return "1-a"

    def test_the_oldest_go_once_there_are_many_and_none_that_is_not_whole_counts(self):
        with tempfile.TemporaryDirectory() as place:
            for number in range(backup.KEPT + 3):
                (Path(place) / f"rectaxis-2026{number:02d}").mkdir()
                if number != 1:
                    (Path(place) / f"rectaxis-2026{number:02d}" / backup.MANIFEST).touch()
            backup._prune(Path(place))
            left = sorted(path.name for path in Path(place).iterdir())
            self.assertEqual((left[0], len(left)), ("rectaxis-202601", backup.KEPT + 1))


class Lock(unittest.TestCase):
    def test_every_package_is_pinned_with_hashes_and_no_host_is_named(self):
        text = (ROOT / "requirements.lock").read_text()
        names = [line for line in text.splitlines() if line and not line.startswith((" ", "#"))]
        self.assertTrue(all("==" in line for line in names))
        self.assertEqual(text.count("://"), 0)
        self.assertGreaterEqual(text.count("--hash=sha256:"), len(names))
