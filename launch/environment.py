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
    """Make or refresh ``.venv``. A half-finished one is made anew. Raises CannotStartError."""
    if not (3, 11) <= sys.version_info[:2] <= (3, 12):
        raise CannotStartError(f"Python 3.11 or 3.12 is needed; python3 is {sys.version.split()[0]}.")
    wanted = f"{sys.version_info[:2]} {hashlib.sha256(_LOCK.read_bytes()).hexdigest()}"
    if _STAMP.exists() and _STAMP.read_text() == wanted and PYTHON.exists():
        return
    print("Making the Python environment in .venv (about a minute, once).", flush=True)
    if _VENV.exists():
        shutil.rmtree(_VENV)
    for what, command in (
        ("making .venv", [sys.executable, "-m", "venv", str(_VENV)]),
        ("installing uv", [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check", "uv"]),
        ("installing the locked packages",
         [str(PYTHON), "-m", "uv", "pip", "sync", "-q", "--compile-bytecode", "--python", str(PYTHON), "--require-hashes", str(_LOCK)]),
    ):  # fmt: skip
        if subprocess.run(command, cwd=ROOT, check=False).returncode != 0:
            raise CannotStartError(f"Failed at {what}; the reason is above. Mend it and run this again.")
    _STAMP.write_text(wanted)
