"""The processes of a running program: the web server, what follows the devices, and in the demo the stand-ins."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence

from launch import ROOT

_AGAIN_S, _GENTLY_S = 1.0, 10.0
_MOST_FALLS, _LATELY_S = 4, 30.0
"""Where the first ends so often in so short a time, something is wrong that starting it again does not mend."""


class Processes:
    """Programs that run beside each other, each started again when it ends. Where the first ends again and again, all end."""

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
        """Run until Ctrl-C, or until the first one cannot stay up. ``say`` is called once, when ``ready``."""
        first, said = next(iter(self._commands)), False
        falls: list[float] = []
        try:
            for name in self._commands:
                self._start(name)
            while True:
                if not said and ready():
                    said = True
                    say()
                if first in self._again():
                    falls = [*(at for at in falls if time.monotonic() - at < _LATELY_S), time.monotonic()]
                    if len(falls) >= _MOST_FALLS:
                        return self._running[first].returncode or 1
                time.sleep(0.2)
        except KeyboardInterrupt:
            print("\nStopping.", flush=True)
            return 0
        finally:
            self._stop()

    def _again(self) -> list[str]:
        """Start what has ended, a moment later: so that one that cannot start does not fill the log. Answers what is found to have ended."""
        fallen = []
        for name, process in list(self._running.items()):
            if process.poll() is None:
                continue
            if name not in self._ended:
                self._ended[name] = time.monotonic()
                fallen.append(name)
            elif time.monotonic() - self._ended[name] > _AGAIN_S:
                del self._ended[name]
                print(f"The {name} ended with {process.returncode}; it is started again.", flush=True)
                self._start(name)
        return fallen

    def _stop(self) -> None:
        for process in self._running.values():
            if process.poll() is None:
                process.terminate()
        for process in self._running.values():
            try:
                process.wait(_GENTLY_S)
            except subprocess.TimeoutExpired:
                process.kill()
