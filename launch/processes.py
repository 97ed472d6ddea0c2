"""The processes of a running program: the web server, what follows the devices, and in the demo the stand-ins."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import threading
import time
from collections.abc import Callable, Collection, Mapping, Sequence

from launch import ROOT

_AGAIN_S, _GENTLY_S, _LOOK_S = 1.0, 10.0, 2.0
_MOST_FALLS, _LATELY_S, _LONGEST_S = 4, 30.0, 15.0
"""Where the first ends so often in so short a time before it was ever ready, something is wrong that starting it again does not mend. Later each
is started again whatever happens, after a pause that doubles while it goes on to end.
"""


class Processes:
    """Programs that run beside each other, each started again when it ends. Where the first ends again and again before it is ready, all end."""

    def __init__(self, commands: Mapping[str, Sequence[str]], environment: Mapping[str, str]) -> None:
        self._commands, self._environment = commands, os.environ | environment
        self._running: dict[str, subprocess.Popen[bytes]] = {}
        self._ended: dict[str, float] = {}
        self._falls: dict[str, list[float]] = {name: [] for name in commands}
        self._anew = threading.Event()
        if threading.current_thread() is threading.main_thread():
            signal.signal(signal.SIGUSR1, lambda *_: self._anew.set())

    def _start_anew(self) -> None:
        """Each from the program as it is now on the disk, one after the other."""
        print("The program is started anew.", flush=True)
        for name, process in list(self._running.items()):
            self._end([process])
            self._ended.pop(name, None)
            self._start(name)

    def _start(self, name: str) -> None:
        # In a session of its own each hears of Ctrl-C from here alone, once.
        self._running[name] = subprocess.Popen(
            self._commands[name], cwd=ROOT, env=self._environment, start_new_session=True
        )

    def run(self, ready: Callable[[], bool], say: Callable[[], None], beside: Callable[[], object] = bool) -> int:
        """Run until Ctrl-C, or until the first one is seen not to come up. ``say`` is called once, when ``ready``; ``beside``, which looks after
        what is not started here, every two seconds; all are started anew, one after the other, at the signal USR1.
        """
        first, said = next(iter(self._commands)), False
        looked = 0.0
        try:
            for name in self._commands:
                self._start(name)
            while True:
                if not said and ready():
                    said = True
                    say()
                if time.monotonic() - looked > _LOOK_S:
                    looked = time.monotonic()
                    beside()
                if self._anew.is_set():
                    self._anew.clear()
                    self._start_anew()
                if first in self._again() and not said and len(self._falls[first]) >= _MOST_FALLS:
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
            now = time.monotonic()
            if name not in self._ended:
                self._ended[name] = now
                self._falls[name] = [*(at for at in self._falls[name] if now - at < _LATELY_S), now]
                fallen.append(name)
            elif now - self._ended[name] > min(_LONGEST_S, _AGAIN_S * 2 ** (len(self._falls[name]) - 1)):
                del self._ended[name]
                self._clear(process)
                print(f"The {name} ended with {process.returncode}; it is started again.", flush=True)
                self._start(name)
        return fallen

    @staticmethod
    def _clear(process: subprocess.Popen[bytes]) -> None:
        """End what one that was killed has left behind: processes of its own that hold its port."""
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)

    def _stop(self) -> None:
        self._end(self._running.values())

    @staticmethod
    def _end(processes: Collection[subprocess.Popen[bytes]]) -> None:
        """End them: asked first, made to where they do not."""
        for process in processes:
            if process.poll() is None:
                process.terminate()
        for process in processes:
            try:
                process.wait(_GENTLY_S)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
            Processes._clear(process)
