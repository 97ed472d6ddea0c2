"""Programs that come from Debian's packages."""

from __future__ import annotations

import os
import shutil
import subprocess
import sysconfig
import tempfile
from glob import glob
from pathlib import Path

from launch import VAR, CannotStartError

_PDF_LIBRARIES = ("libpango-1.0-0", "libpangoft2-1.0-0", "libharfbuzz-subset0")


def postgres_tool(name: str) -> str | None:
    """Path of one of PostgreSQL's programs, of the newest version installed; None where there is none."""
    found = glob(f"/usr/lib/postgresql/*/bin/{name}")
    return max(found, key=lambda path: int(path.split("/")[4].split(".")[0])) if found else shutil.which(name)


def _installed(package: str) -> bool:
    answer = subprocess.run(["dpkg-query", "-W", "-f=${Status}", package], capture_output=True, text=True, check=False)
    return answer.stdout.endswith("ok installed")


def _missing(*, browser: bool) -> list[str]:
    wanted = []
    if postgres_tool("postgres") is None:
        wanted.append("postgresql")
    if not os.path.exists(os.path.join(sysconfig.get_path("stdlib"), "ensurepip", "__init__.py")):
        wanted.append("python3-venv")
    if browser and not os.path.exists("/usr/bin/chromium-headless-shell"):
        wanted.append("chromium-headless-shell")
    return wanted + [package for package in _PDF_LIBRARIES if not _installed(package)]


def unpacked(package: str, program: str) -> Path:
    """A program of one of Debian's packages that is only to be tried: where it is installed, or else unpacked below ``var/`` without being
    installed, so that no service of it is started on this machine. Raises CannotStartError.
    """
    there = Path("/") / program
    folder = VAR / "packages" / package
    if there.exists() or (folder / program).exists():
        return there if there.exists() else folder / program
    with tempfile.TemporaryDirectory() as place:
        Path(place).chmod(0o777)  # the user that fetches packages writes there
        fetch = ["apt-get", "download", "-qq", package]
        if subprocess.run(fetch, cwd=place, capture_output=True, check=False).returncode != 0:
            become = [] if os.geteuid() == 0 else ["sudo", "--non-interactive"]
            subprocess.run([*become, "apt-get", "update", "-qq"], stdout=subprocess.DEVNULL, check=False)
            subprocess.run(fetch, cwd=place, stdout=subprocess.DEVNULL, check=False)
        found = glob(f"{place}/*.deb")
        if not found:
            raise CannotStartError(
                f"Debian's package {package} could not be fetched: apt-get download {package} says why."
            )
        folder.mkdir(parents=True, exist_ok=True)
        subprocess.run(["dpkg-deb", "-x", found[0], str(folder)], check=True)
    return folder / program


def ensure_packages(*, browser: bool) -> None:
    """Install what is missing, as root or through sudo. Raises CannotStartError, naming the packages."""
    if shutil.which("dpkg-query") is None:
        raise CannotStartError("This needs Debian or a relative of it: dpkg was not found.")
    missing = _missing(browser=browser)
    if not missing:
        return
    print(f"Installing from Debian's packages: {', '.join(missing)}.", flush=True)
    become = [] if os.geteuid() == 0 else ["sudo"]
    by_hand = f"Install them by hand (apt-get install {' '.join(missing)}), then run this again."
    if become and shutil.which("sudo") is None:
        raise CannotStartError(f"Missing packages, and neither root nor sudo to install them. {by_hand}")
    settings = ["env", "DEBIAN_FRONTEND=noninteractive"]
    for command in (["update", "-qq"], ["install", "-y", "-qq", "--no-install-recommends", *missing]):
        done = subprocess.run([*become, *settings, "apt-get", *command], stdout=subprocess.DEVNULL, check=False)
        if done.returncode != 0:
            raise CannotStartError(f"apt-get {command[0]} failed; its reason is above. {by_hand}")
