"""What is made of all that one device says: windows of samples, its state, its trouble."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from alignment.live.measures import Measure
from alignment.live.settling import Window
from rectaxis.devices.feed import Heard, Identity
from rectaxis.devices.trouble import SAID_OF_WHEEL, STOPS, Trouble

OLD_S = 1.0
CLOCK_APART_S = 5.0
_LEAST_HOURS = 1.0
MOST_MEASURES = 1000
_BAD_SHOWN_S = 10.0


@dataclass
class Listening:
    """A device as it is heard. Times are seconds of one clock of ours that only goes forward."""

    belongs: dict[tuple[int, str], str] = field(default_factory=dict)
    """Which serial number belongs on which wheel, as it was when the device was paired."""
    off_s: float = 0.0
    connected: bool = False
    state: dict[str, Any] = field(default_factory=dict)
    refused: str = "away"
    said: str = ""
    did: str = ""
    visit: str = ""
    """For which visit it was asked last, and so what ``said`` and ``did`` are of."""
    heard_at: float = float("-inf")
    bad_at: float = float("-inf")
    bad: str = ""
    _windows: dict[str, tuple[Measure, Window]] = field(default_factory=dict)
    _moved: set[str] = field(default_factory=set)

    def joined(self, identity: Identity) -> None:
        """The device answered and said who it is."""
        self.connected, self.refused, self.off_s = True, "", identity.off_s

    def parted(self, why: str = "away") -> None:
        """The connection is gone, or was refused. What was sampled before has not settled when it is back."""
        self.connected, self.refused = False, why
        for _, window in self._windows.values():
            window.clear()

    def hear(self, heard: Heard, now: float) -> None:
        """Take in one event."""
        self.heard_at = now
        if heard.bad:
            self.bad_at, self.bad = now, heard.bad[0]
        if heard.at is None:
            return
        at = heard.at.timestamp() - self.off_s
        match heard.event:
            case "reading" if not heard.poor:
                for one in heard.measured:
                    self._window(one.of).add(at, one.value, one.u)
            case "state":
                self.state = heard.state
            case "moved" if heard.what in ("vehicle", "cameras"):
                self._moved.add(heard.what)
                self._forget()
            case "lost" | "back":
                self._forget()
            case "done":
                self.said, self.did = heard.said, heard.what if heard.ok else ""

    def _window(self, of: Measure) -> Window:
        if of.key not in self._windows and len(self._windows) >= MOST_MEASURES:
            self._windows.pop(next(iter(self._windows)))
        return self._windows.setdefault(of.key, (of, Window()))[1]

    def _forget(self) -> None:
        for _, window in self._windows.values():
            window.clear()

    @property
    def moved(self) -> frozenset[str]:
        """What has moved since a person looked last."""
        return frozenset(self._moved)

    def seen(self) -> None:
        """A person has looked at what moved, and goes on."""
        self._moved.clear()

    def trouble(self, now: float) -> list[Trouble]:
        """What is wrong now."""
        if not self.connected:
            return [Trouble(self.refused)]
        found = [Trouble(code) for code in sorted(self._moved)]
        if now - self.heard_at > OLD_S:
            found.append(Trouble("old"))
        if abs(self.off_s) > CLOCK_APART_S:
            found.append(Trouble("clock"))
        if self.state.get("hours_left", _LEAST_HOURS) < _LEAST_HOURS:
            found.append(Trouble("battery"))
        if now - self.bad_at < _BAD_SHOWN_S:
            found.append(Trouble("bad"))
        found += [Trouble(code, *wheel) for code in SAID_OF_WHEEL for wheel in self.state.get(code, ())]
        on = self.state.get("serials", {})
        return found + [
            Trouble("swapped", *wheel) for wheel, serial in self.belongs.items() if on.get(wheel, serial) != serial
        ]

    def values(self, now: float) -> dict[str, tuple[float, float, float, int, bool, bool]]:
        """Each measure's value, uncertainty, spread, samples, whether it has settled, and whether trouble forbids to take it, by
        the measure's key.

        What is in trouble has not settled, whatever its samples say; what is blocked or old is not told at all.
        """
        trouble = self.trouble(now)
        if any(one.code in ("old", "away") for one in trouble):
            return {}
        stopped = {(one.axle, one.side) for one in trouble if one.code in STOPS}
        all_stopped = (0, "") in stopped
        hidden = {(one.axle, one.side) for one in trouble if one.code in ("blocked", "dirty")}
        found = {}
        for key, (of, window) in self._windows.items():
            live = window.now()
            wheel = (of.axle, of.side)
            if live is None or (wheel in hidden and of.what in _SEEN):
                continue
            stops = all_stopped or wheel in stopped
            settled = live.settled and not stops
            found[key] = (round(live.value, 5), round(live.u, 5), round(live.spread, 5), live.samples, settled, stops)
        return found


_SEEN = ("sight", "scale")
"""What needs a line of sight."""
