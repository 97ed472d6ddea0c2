"""What can be wrong with a device, in words: what it is, and how it is mended."""

from __future__ import annotations

from typing import NamedTuple

from alignment.speech import side_name


class Trouble(NamedTuple):
    """One thing that is wrong, at a wheel where it is one wheel's."""

    code: str
    axle: int = 0
    side: str = ""

    def say(self) -> str:
        """What is wrong, and what to do."""
        where = f"{side_name(self.side)} wheel of axle {self.axle}: ".capitalize() if self.axle else ""
        said = _SENTENCES[self.code]
        return f"{where}{said[0].lower()}{said[1:]}" if where else said

    @property
    def short(self) -> str:
        """What is wrong with a wheel, in the two words that fit beside it on a drawing."""
        return _SHORT.get(self.code, "")


_SHORT = {"blocked": "sight blocked", "dirty": "target dirty", "not_level": "not level", "swapped": "wrong wheel"}
_SENTENCES = {
    "away": "No connection to the device. Look at its radio and battery; it goes on by itself when it is back.",
    "old": "The device has said nothing for over a second. What is shown is old.",
    "token": "The device does not accept its token. Pair it again.",
    "other": "Another device answers at this address. Pair it again.",
    "bad": "The device says things that mean nothing. They are passed over.",
    "clock": "The device's clock is wrong. Its times are set right by the difference.",
    "blocked": "The line of sight is blocked.",
    "dirty": "The target is dirty. Wipe it.",
    "not_level": "The head is not level. Level it.",
    "swapped": "What hangs here belongs on another wheel. Look at the marks, and hang it right.",
    "battery": "Less than an hour is left in the battery.",
    "vehicle": "The vehicle has moved. Check that it stands as it did before you go on.",
    "cameras": "The cameras were knocked. Set them up again before you go on.",
}
SAID_OF_WHEEL = ("blocked", "dirty", "not_level")
"""What a device itself says of a wheel."""
CODES = tuple(_SENTENCES)
STOPS = ("old", "away", "blocked", "dirty", "not_level", "swapped", "vehicle", "cameras")
"""While one of these stands nothing is taken of the wheel, or of the whole device, that it is about."""
