"""What was worked out lately, kept in the process by what it was worked out from: for what is asked again and again and never changes."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class Recent(Generic[T]):
    """At most so many; what was not asked for the longest goes first. The key must say all that the answer depends on."""

    def __init__(self, most: int) -> None:
        self._most, self._kept, self._lock = most, OrderedDict[Hashable, T](), threading.Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a key, made where nothing is. Two who ask at once may both make it."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            self._kept[key] = made
            if len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made
