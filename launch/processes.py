"""The processes of a running program: the web server, what follows the devices, and in the demo the stand-ins."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence

from launch import ROOT

_AGAIN_S, _GENTLY_S = 1.0, 10.0


class Processes:
    """Programs that run beside each other. The first ends all; the others are started again when they end."""

    def __init__(self, commands: Mapping[str, Sequence[str]], environment: Mapping[str, str]) -> None:
        self._commands, self._environment = commands, os.environ | environment
        self._running: dict[str, subprocess.Popen[bytes]] = {}
        self._ended: dict[str, float] = {}

    def _start(self, name: str) -> None:
        # In a session of its own each hears of Ctrl-C from here alone, once.
        self._running[name] = subprocess.Popen(
            self._commands[name], cwd=ROOT, env=self._environment, start_new_session=True
        )

    def run(self, ready: Callable[[], bool], say: Callable[[], None]) -> int:
        """Run until the first one ends, or Ctrl-C. ``say`` is called once, when ``ready``."""
        first, said = next(iter(self._commands)), False
        try:
            for name in self._commands:
                self._start(name)
            while self._running[first].poll() is None:
                if not said and ready():
                    said = True
                    say()
                self._again(first)
                time.sleep(0.2)
            return self._running[first].returncode
        except KeyboardInterrupt:
            print("\nStopping.", flush=True)
            return 0
        finally:
            self._stop()

    def _again(self, first: str) -> None:
        """Start what has ended, a moment later: so that one that cannot start does not fill the log."""
        for name, process in self._running.items():
            if name == first or process.poll() is None:
                continue
            ended = self._ended.setdefault(name, time.monotonic())
            if time.monotonic() - ended > _AGAIN_S:
                del self._ended[name]
                print(f"The {name} ended with {process.returncode}; it is started again.", flush=True)
                self._start(name)

    def _stop(self) -> None:
        for process in self._running.values():
            if process.poll() is None:
                process.terminate()
        for process in self._running.values():
            try:
                process.wait(_GENTLY_S)
            except subprocess.TimeoutExpired:
                process.kill()
