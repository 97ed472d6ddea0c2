"""Files that say what runs and hold what is secret: written whole or not at all, and locks that end with whoever holds them."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import signal
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from launch import CannotStartError


def write_whole(path: Path, text: str) -> None:
    """Write a file for its owner alone: after a crash it is as it was, or as it should be, and never half."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile("w", dir=path.parent, delete=False) as file:
        try:
            os.fchmod(file.fileno(), 0o600)
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
            Path(file.name).replace(path)
        except BaseException:
            Path(file.name).unlink()
            raise


@contextlib.contextmanager
def running(path: Path, what: str) -> Iterator[None]:
    """Hold a lock that says what runs, such as "Rectaxis at http://127.0.0.1:8000/". **Raises** CannotStartError, with what the other one said, where it is held already."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            file.seek(0)
            raise CannotStartError(_told(file.read())) from None
        file.truncate(0)
        file.write(json.dumps({"what": what, "process": os.getpid()}))
        file.flush()
        yield


def signal_holder(path: Path, what: signal.Signals) -> bool:
    """Send a signal to whoever holds a lock; answers whether somebody does."""
    if not path.exists():
        return False
    with path.open("r+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.kill(int(json.loads(file.read())["process"]), what)
            return True
    return False


def _told(text: str) -> str:
    try:
        said = json.loads(text)
        return f"Running already: {said['what']} (process {said['process']}). Use that, or stop it with Ctrl-C where it was started."
    except (ValueError, KeyError, TypeError):
        return "Running already, started by somebody else. Stop that one with Ctrl-C where it was started."


class Users:
    """Who uses something that several may: whoever is the last may put it away."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file: IO[str] | None = None

    def come(self) -> None:
        """Be one of them."""
        self._path.parent.mkdir(parents=True, exist_ok=True)
        self._file = self._path.open("a+")
        fcntl.flock(self._file, fcntl.LOCK_SH)

    def go(self) -> bool:
        """Be one no more; answers whether nobody else is. Who was none is not the last."""
        if self._file is None:
            return False
        with self._file as file:
            self._file = None
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                return False
            return True
