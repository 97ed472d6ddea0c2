"""The virtual environment, made from the lock file with pinned versions and hashes."""

from __future__ import annotations

import hashlib
import shutil
import subprocess
import sys

from launch import PYTHON, ROOT, CannotStartError

_VENV = ROOT / ".venv"
_LOCK = ROOT / "requirements.lock"
_STAMP = _VENV / "made-from"


def ensure_environment() -> None:
    """Make or refresh ``.venv``; one that was left half made is not used. Raises CannotStartError."""
    if not (3, 11) <= sys.version_info[:2] <= (3, 12):
        raise CannotStartError(f"Python 3.11 or 3.12 is needed; python3 is {sys.version.split()[0]}.")
    wanted = f"{sys.version_info[:2]} {hashlib.sha256(_LOCK.read_bytes()).hexdigest()}"
    if _STAMP.exists() and _STAMP.read_text() == wanted and PYTHON.exists():
        return
    print("Making the Python environment in .venv (about a minute, once).", flush=True)
    # Beside the one that is in use, which stays as it is until the new one is whole.
    fresh, before = _VENV.with_name(".venv.new"), _VENV.with_name(".venv.before")
    shutil.rmtree(fresh, ignore_errors=True)
    python = str(fresh / "bin" / "python")
    for what, command in (
        ("making .venv", [sys.executable, "-m", "venv", str(fresh)]),
        ("installing uv", [python, "-m", "pip", "install", "-q", "--disable-pip-version-check", "uv"]),
        ("installing the locked packages",
         [python, "-m", "uv", "pip", "sync", "-q", "--compile-bytecode", "--python", python, "--require-hashes", str(_LOCK)]),
    ):  # fmt: skip
        if subprocess.run(command, cwd=ROOT, check=False).returncode != 0:
            raise CannotStartError(f"Failed at {what}; the reason is above. Mend it and run this again.")
    (fresh / _STAMP.name).write_text(wanted)
    shutil.rmtree(before, ignore_errors=True)
    if _VENV.exists():
        _VENV.replace(before)
    fresh.replace(_VENV)
    shutil.rmtree(before, ignore_errors=True)
