"""Sets the machine up and starts things, with Python's standard library alone: it runs before anything is installed."""

from __future__ import annotations

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("RECTAXIS_VAR") or ROOT / "var").resolve()
"""Where everything lies that an installation makes."""
PYTHON = ROOT / ".venv" / "bin" / "python"


class CannotStartError(Exception):
    """Something that a person has to put right; the text says what and how."""
