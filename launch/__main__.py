"""What ``./run`` does."""

from __future__ import annotations

import http
import json
import os
import re
import secrets
import shutil
import signal
import subprocess
import sys
import urllib.request
from collections.abc import Callable, Sequence
from pathlib import Path

from launch import PYTHON, ROOT, VAR, CannotStartError, backup
from launch.cluster import Cluster, is_free
from launch.environment import ensure_environment
from launch.held import running, signal_holder, write_whole
from launch.install import install
from launch.packages import ensure_packages
from launch.processes import Processes
from launch.scripts import ensure_linter

HELP = """\
./run demo [--port N]   the demo on made-up data: sets everything up, prints an address to open
./run serve [--port N]  the same program on your own data, empty at first
./run user NAME ROLE    add or change a user of ./run serve (technician, office); asks for the password
./run backup [FOLDER]   all of ./run serve's data into a folder below FOLDER (var/backups), checked; while it runs, too
./run restore BACKUP    put a backup in place; what was there is kept beside it
./run upgrade           after a newer version was put here: backs up, brings the data up to it, starts the running program anew
./run install [FOLDER]  write what systemd needs to keep ./run serve up and to back up each night, into FOLDER (var/systemd)
./run verify [BACKUP]   is all that was sealed as it was sealed; with a backup, or a link as a report prints it, also whether anything
                        was cut off since
./run test [WORDS]      lint, core tests, Django tests, browser journeys; WORDS narrow the Django tests
./run bench [WHICH]     benchmarks, printed as ratios and counts: solving, pages, drawing, live, camera; trust, fuzz, requests, scale, pictures, broken, open or reports (minutes)
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
    if not is_free(port):
        raise CannotStartError(
            f"Port {port} on 127.0.0.1 is taken. Stop what uses it, or choose another: ./run demo --port {port + 1}"
        )


def _web_processes() -> int:
    """How many processes answer, by ``RECTAXIS_WEB``."""
    said = os.environ.get("RECTAXIS_WEB", "2")
    if said.isdigit() and 1 <= int(said) <= _MOST_WEB:
        return int(said)
    raise CannotStartError(f"RECTAXIS_WEB: expected how many web processes, 1 to {_MOST_WEB}, and it is {said!r}.")


_MOST_WEB = 32


def serve(words: Sequence[str], *, demo: bool) -> int:
    """Set up and run the server until Ctrl-C; stops what it started."""
    port, web = _wanted_port(words), _web_processes()
    with running(VAR / ("demo.running" if demo else "serve.running"), f"Rectaxis at http://127.0.0.1:{port}/"):
        return _serve(port, web, demo=demo)


def bring_up(environment: dict[str, str]) -> None:
    """Bring the data and the shipped files up to the program as it is on the disk."""
    _manage(environment, "migrate", "--verbosity", "0")
    _manage(environment, "bring_up_to_date")
    _manage(environment, "collectstatic", "--noinput", "--verbosity", "0")


def _counts(name: str) -> str:
    """An empty folder where the web processes count together."""
    folder = VAR / name
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    return str(folder)


def _serve(port: int, web: int, *, demo: bool) -> int:
    _check_port(port)
    ensure_packages(browser=False)
    ensure_environment()
    cluster = Cluster("demo" if demo else "postgres", durable=True)
    try:
        cluster.start()
        environment = _settings(cluster, demo=demo)
        environment["RECTAXIS_SITE"] = os.environ.get("RECTAXIS_SITE", f"http://127.0.0.1:{port}")
        bring_up(environment)
        if demo:
            _manage(environment, "make_demo")
        environment["PROMETHEUS_MULTIPROC_DIR"] = _counts("demo.counts" if demo else "serve.counts")
        # Between two numbers lie some steps: a line that is closed just as it is used again would lose a request.
        # One of several that is at work on something large for long is not dead: it is asked again for half a minute.
        command = [
            str(PYTHON), "-m", "uvicorn", "rectaxis.asgi:application", "--host", "127.0.0.1", "--port", str(port), "--workers", str(web),
            "--timeout-worker-healthcheck", "30", "--timeout-keep-alive", "75", "--timeout-graceful-shutdown", "2", "--log-level", "warning", "--lifespan", "off",
            *_behind(os.environ.get("RECTAXIS_PROXY", "")),
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
        return Processes(commands, environment).run(
            lambda: _answers(port), lambda: print(address, flush=True), cluster.keep_up
        )
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


def verify(of: Path | None) -> int:
    """Whether what was sealed is as it was; 1 where it is not. ``of`` is a backup, or a link as a report prints it."""
    cluster = Cluster("postgres", durable=True)
    try:
        cluster.start()
        link = str(of) if of and re.fullmatch(r"[0-9]+-[0-9a-f]{16,64}", str(of)) else ""
        anchor = ["--anchor", link or backup.anchor_of(of.resolve())] if of else []
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


def upgrade() -> int:
    """Bring one's own data up to the version that is on the disk, with a backup from before as the way back; the running program goes on
    meanwhile, and is started anew at the end.
    """
    ensure_packages(browser=False)
    ensure_environment()
    cluster = Cluster("postgres", durable=True)
    try:
        cluster.start()
        made = backup.back_up(cluster, VAR / "media", VAR / "secret-key", VAR / "backups")
        print(f"What was there is backed up in {made}.", flush=True)
        # A change that has to wait for others to be done with a table gives up soon, as all who come after wait behind it.
        environment = _settings(cluster, demo=False) | {"PGOPTIONS": f"-c lock_timeout={_LOCK_MS}"}
        try:
            bring_up(environment)
        except CannotStartError as error:
            raise CannotStartError(
                f"{error} The program runs on as it was. Try it again; where that does not help, put the version from before back "
                f"here, and ./run restore {made}"
            ) from None
        anew = signal_holder(VAR / "serve.running", signal.SIGUSR1)
        print("The program is started anew." if anew else "It does not run: start it with ./run serve.")
        print(f"The way back: stop it, put the version from before back here, ./run restore {made}")
    finally:
        cluster.stop()
    return 0


_LOCK_MS = 900


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
        case ["demo" | "serve" as what, *rest]:
            return serve(rest, demo=what == "demo")
        case ["user", *rest]:
            return add_user(rest)
        case ["test" | "bench" as what, *rest]:
            return in_test_cluster([*(["-W", "error"] if what == "test" else []), "-m", _MODULES[what], *rest])
        case [("backup" | "restore" | "verify" | "install") as what, folder]:
            return _IN_A_FOLDER[what](Path(folder))
        case [("backup" | "verify" | "install" | "upgrade" | "lint" | "shots") as what]:
            return _ALONE[what]()
        case [] | ["help" | "--help" | "-h"]:
            print(HELP, end="")
            return 0
    print(HELP, end="", file=sys.stderr)
    return 2


def _install(folder: Path) -> int:
    print(install(folder), end="")
    return 0


_MODULES = {"test": "tests.everything", "bench": "bench"}
_IN_A_FOLDER: dict[str, Callable[[Path], int]] = {
    "backup": backup_to, "restore": restore_from, "verify": verify, "install": _install,
}  # fmt: skip
_ALONE: dict[str, Callable[[], int]] = {
    "backup": lambda: backup_to(VAR / "backups"),
    "verify": lambda: verify(None),
    "install": lambda: _install(VAR / "systemd"),
    "upgrade": upgrade,
    "lint": lint,
    "shots": lambda: in_test_cluster(["manage.py", "test", "tests.pictures", "--noinput"]),
}


if __name__ == "__main__":
    signal.signal(signal.SIGUSR1, signal.SIG_IGN)  # while it starts there is nothing to be started anew
    for ending in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(ending, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    try:
        sys.exit(main(sys.argv[1:]))
    except CannotStartError as error:
        print(f"Cannot go on. {error}", file=sys.stderr)
        sys.exit(1)
    except KeyboardInterrupt:
        sys.exit(130)
