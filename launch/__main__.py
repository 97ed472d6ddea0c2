"""What ``./run`` does."""

from __future__ import annotations

import http
import json
import os
import secrets
import signal
import socket
import subprocess
import sys
import urllib.request
from collections.abc import Sequence
from pathlib import Path

from launch import PYTHON, ROOT, VAR, CannotStartError, backup
from launch.cluster import Cluster
from launch.environment import ensure_environment
from launch.held import running, write_whole
from launch.packages import ensure_packages
from launch.processes import Processes
from launch.scripts import ensure_linter

HELP = """\
./run demo [--port N]   the demo on made-up data: sets everything up, prints an address to open
./run serve [--port N]  the same program on your own data, empty at first
./run user NAME ROLE    add or change a user of ./run serve (technician, office); asks for the password
./run backup [FOLDER]   all of ./run serve's data into a folder below FOLDER (var/backups), checked; while it runs, too
./run restore BACKUP    put a backup in place; what was there is kept beside it
./run verify [BACKUP]   is all that was sealed as it was sealed; with a backup, also whether anything was cut off since
./run test [WORDS]      lint, core tests, Django tests, browser journeys; WORDS narrow the Django tests
./run bench [WHICH]     benchmarks, printed as ratios and counts: solving, pages, drawing, live, camera; trust, fuzz, pictures, broken, open or reports (minutes)
./run lint              style, types, templates, scripts and styles
./run shots             fresh pictures of the main views into docs/screenshots
./run help              this text
"""


def _manage(environment: dict[str, str], *words: str) -> None:
    done = subprocess.run([str(PYTHON), "manage.py", *words], cwd=ROOT, env=os.environ | environment, check=False)
    if done.returncode != 0:
        raise CannotStartError(f"manage.py {words[0]} failed; its reason is above.")


def _secret_key() -> str:
    path = VAR / "secret-key"
    if not path.exists():
        write_whole(path, secrets.token_urlsafe(48))
    return path.read_text()


def _settings(cluster: Cluster, *, demo: bool) -> dict[str, str]:
    return {
        "DJANGO_SETTINGS_MODULE": "rectaxis.settings.local",
        "RECTAXIS_DATABASE": cluster.url,
        "RECTAXIS_SECRET_KEY": _secret_key(),
        "RECTAXIS_DEMO": "1" if demo else "",
    }


def _wanted_port(words: Sequence[str]) -> int:
    match words:
        case []:
            return 8000
        case ["--port", number] if number.isdigit() and 1024 <= int(number) <= 65535:
            return int(number)
    raise CannotStartError("Expected --port N with N from 1024 to 65535, or nothing.")


def _check_port(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            raise CannotStartError(
                f"Port {port} on 127.0.0.1 is taken. Stop what uses it, or choose another: ./run demo --port {port + 1}"
            ) from None


def serve(words: Sequence[str], *, demo: bool) -> int:
    """Set up and run the server until Ctrl-C; stops what it started."""
    port = _wanted_port(words)
    with running(VAR / ("demo.running" if demo else "serve.running"), f"Rectaxis at http://127.0.0.1:{port}/"):
        return _serve(port, demo=demo)


def _serve(port: int, *, demo: bool) -> int:
    _check_port(port)
    ensure_packages(browser=False)
    ensure_environment()
    cluster = Cluster("demo" if demo else "postgres", durable=True)
    try:
        cluster.start()
        environment = _settings(cluster, demo=demo)
        environment["RECTAXIS_SITE"] = os.environ.get("RECTAXIS_SITE", f"http://127.0.0.1:{port}")
        _manage(environment, "migrate", "--verbosity", "0")
        _manage(environment, "bring_up_to_date")
        if demo:
            _manage(environment, "make_demo")
        _manage(environment, "collectstatic", "--noinput", "--verbosity", "0")
        command = [
            str(PYTHON), "-m", "uvicorn", "rectaxis.asgi:application", "--host", "127.0.0.1", "--port", str(port),
            "--timeout-graceful-shutdown", "2", "--log-level", "warning", "--lifespan", "off", *_behind(os.environ.get("RECTAXIS_PROXY", "")),
        ]  # fmt: skip
        commands = {
            "web server": command, "follower of devices": [str(PYTHON), "manage.py", "follow"],
            "worker": [str(PYTHON), "manage.py", "procrastinate", "worker", "--concurrency", "2", "--delete-jobs", "successful"],
        }  # fmt: skip
        if demo:
            environment["RECTAXIS_STANDIN_TOKEN"] = secrets.token_urlsafe(24)
            commands |= _standins(port, environment)
            smtp = port + _MAILBOX_AFTER + 1
            environment["RECTAXIS_MAIL"] = f"smtp://127.0.0.1:{smtp}"
            environment["RECTAXIS_MAILBOX"] = f"http://127.0.0.1:{port + _MAILBOX_AFTER}/"
            commands["mailbox"] = [
                str(PYTHON), "-m", "standins", "mailbox", "--port", str(port + _MAILBOX_AFTER), "--smtp-port", str(smtp),
            ]  # fmt: skip
        address = f"\n  Rectaxis is at http://127.0.0.1:{port}/  (Ctrl-C stops it)\n"
        return Processes(commands, environment).run(lambda: _answers(port), lambda: print(address, flush=True))
    finally:
        cluster.stop()


def _behind(proxy: str) -> list[str]:
    """Whose word the web server takes for where a request came from: the proxy's that is set up, and nobody's without one."""
    return ["--proxy-headers", "--forwarded-allow-ips", proxy] if proxy else ["--no-proxy-headers"]


def _answers(port: int) -> bool:
    """Whether the program answers, and not only its port."""
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/health/ready/", timeout=5) as answer:
            return bool(answer.status == http.HTTPStatus.OK)
    except OSError:
        return False


def _standins(port: int, environment: dict[str, str]) -> dict[str, list[str]]:
    """The demo's stand-ins, each on a port of its own after the web server's."""
    _manage(environment, "set_up_standins", "--port", str(port + _STANDINS_AFTER))
    found = {}
    for path in sorted((VAR / "standins").glob("*.json")):
        data = json.loads(path.read_text())
        found[f"stand-in {data['serial']}"] = [
            str(PYTHON), "-m", "standins", "play", str(path), "--port", str(data["port"]), "--serial", data["serial"],
            *(["--kind", data["kind"]] if data["kind"] else []),
        ]  # fmt: skip
    return found


_STANDINS_AFTER, _MAILBOX_AFTER = 11, 31


def add_user(words: Sequence[str]) -> int:
    """Add or change a user of the program on one's own data."""
    if len(words) != 2:
        raise CannotStartError("Expected ./run user NAME ROLE, with ROLE technician or office.")
    ensure_packages(browser=False)
    ensure_environment()
    cluster = Cluster("postgres", durable=True)
    try:
        cluster.start()
        environment = _settings(cluster, demo=False)
        _manage(environment, "migrate", "--verbosity", "0")
        _manage(environment, "set_user", *words)
    finally:
        cluster.stop()
    return 0


def backup_to(folder: Path) -> int:
    """Back up the program on one's own data."""
    cluster = Cluster("postgres", durable=True)
    try:
        cluster.start()
        print(
            f"The backup is whole, and is in {backup.back_up(cluster, VAR / 'media', VAR / 'secret-key', folder.resolve())}."
        )
    finally:
        cluster.stop()
    return 0


def verify(folder: Path | None) -> int:
    """Whether what was sealed is as it was; 1 where it is not."""
    cluster = Cluster("postgres", durable=True)
    try:
        cluster.start()
        anchor = ["--anchor", backup.anchor_of(folder.resolve())] if folder else []
        command = [str(PYTHON), "manage.py", "verify", *anchor]
        return subprocess.run(
            command, cwd=ROOT, env=os.environ | _settings(cluster, demo=False), check=False
        ).returncode
    finally:
        cluster.stop()


def restore_from(folder: Path) -> int:
    """Put a backup in place of the program's own data, which is kept; the program must not be running."""
    ensure_packages(browser=False)
    ensure_environment()
    cluster = Cluster("postgres", durable=True)
    with running(VAR / "serve.running", "a backup is put in place"):
        try:
            cluster.start()
            print(backup.restore(cluster, VAR / "media", VAR / "secret-key", folder.resolve()))
            environment = _settings(cluster, demo=False)
            _manage(environment, "migrate", "--verbosity", "0")
            print("The backup is in place. Start the program with ./run serve.")
        finally:
            cluster.stop()
    return 0


def lint() -> int:
    """Style, types, templates, scripts and styles."""
    ensure_environment()
    ensure_linter()
    return subprocess.run([str(PYTHON), "-m", "tests.checks"], cwd=ROOT, check=False).returncode


def in_test_cluster(command: list[str], *, demo: bool = False) -> int:
    """Run a command with a cluster that is made for tests."""
    ensure_packages(browser=True)
    ensure_environment()
    ensure_linter()
    cluster = Cluster("testing", durable=False)
    try:
        cluster.start()
        environment = _settings(cluster, demo=demo) | {"DJANGO_SETTINGS_MODULE": "rectaxis.settings.testing"}
        return subprocess.run([str(PYTHON), *command], cwd=ROOT, env=os.environ | environment, check=False).returncode
    finally:
        cluster.stop()


def main(words: Sequence[str]) -> int:
    """One command; answers the exit status."""
    match words:
        case ["demo", *rest]:
            return serve(rest, demo=True)
        case ["serve", *rest]:
            return serve(rest, demo=False)
        case ["user", *rest]:
            return add_user(rest)
        case ["backup", *rest] if len(rest) <= 1:
            return backup_to(Path(rest[0]) if rest else VAR / "backups")
        case ["verify", *rest] if len(rest) <= 1:
            return verify(Path(rest[0]) if rest else None)
        case ["restore", folder]:
            return restore_from(Path(folder))
        case ["lint"]:
            return lint()
        case ["test", *rest]:
            return in_test_cluster(["-W", "error", "-m", "tests.everything", *rest])
        case ["bench", *which]:
            return in_test_cluster(["-m", "bench", *which])
        case ["shots"]:
            return in_test_cluster(["manage.py", "test", "tests.pictures", "--noinput"])
        case [] | ["help" | "--help" | "-h"]:
            print(HELP, end="")
            return 0
    print(HELP, end="", file=sys.stderr)
    return 2


if __name__ == "__main__":
    signal.signal(signal.SIGTERM, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    try:
        sys.exit(main(sys.argv[1:]))
    except CannotStartError as error:
        print(f"Cannot go on. {error}", file=sys.stderr)
        sys.exit(1)
    except KeyboardInterrupt:
        sys.exit(130)
