"""Checking of one value at a time, collecting every fault with its pointer."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable
from typing import Any

from alignment.errors import Fault, JobFileError

MOST_MM = 1e6
MOST_DEG = 360.0
LONGEST_SHOWN = 40
MOST_FAULTS = 200


class Keys:
    """The keys that an object must have, and those that it may have besides."""

    def __init__(self, required: Iterable[str], optional: Iterable[str]) -> None:
        self.required = tuple(required)
        self.optional = frozenset(optional)
        self._needed = frozenset(self.required)
        self._known = self.optional | self._needed

    def fit(self, value: dict[str, Any]) -> bool:
        """Whether an object has just these keys: the quick answer for nearly all of them."""
        return value.keys() >= self._needed and value.keys() <= self._known


class Checker:
    """Collects faults; each method answers the checked value, or None after noting a fault."""

    def __init__(self) -> None:
        self.faults: list[Fault] = []

    def fault(self, pointer: str, message: str) -> None:
        """Note a fault. **Raises** JobFileError with all of them once there are more than anybody reads: a file of nothing else is no longer looked at."""
        self.faults.append(Fault(pointer, message))
        if len(self.faults) >= MOST_FAULTS:
            raise JobFileError(
                [
                    *self.faults,
                    Fault("", f"{MOST_FAULTS} faults are told, and the rest was not looked at: mend these first"),
                ]
            )

    @staticmethod
    def shown(value: object) -> str:
        """A value as it may stand in a message: short, on one line."""
        if isinstance(value, dict):
            return "an object"
        if isinstance(value, list):
            return "a list"
        text = json.dumps(value)
        return text if len(text) <= LONGEST_SHOWN else text[: LONGEST_SHOWN - 3] + "..."

    @staticmethod
    def under(pointer: str, key: str | int) -> str:
        """The pointer of a key or index below a pointer (RFC 6901 escapes)."""
        return f"{pointer}/{str(key).replace('~', '~0').replace('/', '~1')}"

    def keys(self, pointer: str, value: object, required: Iterable[str], optional: Iterable[str] = ()) -> bool:
        """Whether ``value`` is an object; missing and unknown keys are noted."""
        if not isinstance(value, dict):
            self.fault(pointer, f"expected an object, got {self.shown(value)}")
            return False
        required, optional = tuple(required), frozenset(optional)
        for key in required:
            if key not in value:
                self.fault(self.under(pointer, key), "is missing")
        for key in value:
            if key not in required and key not in optional:
                self.fault(self.under(pointer, key), "unknown key")
        return True

    def items(self, pointer: str, value: object) -> list[Any]:
        """The items of a list; none after noting that it is not one."""
        if isinstance(value, list):
            return value
        self.fault(pointer, f"expected a list, got {self.shown(value)}")
        return []

    def number(self, pointer: str, value: object, most: float = math.inf, *, above_zero: bool = False) -> float | None:
        """A finite number of at most ``most`` in size."""
        if isinstance(value, bool) or not isinstance(value, int | float):
            self.fault(pointer, f"expected a number, got {self.shown(value)}")
        elif not math.isfinite(value):
            self.fault(pointer, f"expected a finite number, got {self.shown(value)}")
        elif abs(value) > most:
            self.fault(pointer, f"expected a number between {-most:g} and {most:g}, got {self.shown(value)}")
        elif above_zero and value <= 0:
            self.fault(pointer, f"expected a number above 0, got {self.shown(value)}")
        else:
            return value + 0.0
        return None

    def length(self, pointer: str, value: object, *, above_zero: bool = False) -> float | None:
        """A length in mm."""
        return self.number(pointer, value, MOST_MM, above_zero=above_zero)

    def angle(self, pointer: str, value: object, *, above_zero: bool = False) -> float | None:
        """An angle in degrees."""
        return self.number(pointer, value, MOST_DEG, above_zero=above_zero)

    def word(self, pointer: str, value: object, words: Iterable[str]) -> str | None:
        """One word of a list."""
        words = tuple(words)
        if isinstance(value, str) and value in words:
            return value
        self.fault(pointer, f"expected one of {', '.join(words)}, got {self.shown(value)}")
        return None

    def text(self, pointer: str, value: object) -> str | None:
        """A text that is not empty."""
        if isinstance(value, str) and value:
            return value
        self.fault(pointer, f"expected a text, got {self.shown(value)}")
        return None

    def flag(self, pointer: str, value: object) -> bool | None:
        """True or false."""
        if isinstance(value, bool):
            return value
        self.fault(pointer, f"expected true or false, got {self.shown(value)}")
        return None

    def axle(self, pointer: str, value: object, count: int) -> int | None:
        """The number of an axle that the vehicle has."""
        if isinstance(value, bool) or not isinstance(value, int):
            self.fault(pointer, f"expected the number of an axle, got {self.shown(value)}")
        elif not 1 <= value <= count:
            self.fault(pointer, f"expected an axle from 1 to {count}, got {value}")
        else:
            return value
        return None
