"""Wall-clock times and the minutes in between: the only place that knows of time zones and of clocks that are changed."""

from __future__ import annotations

import datetime as dt
from zoneinfo import ZoneInfo

_EPOCH = dt.datetime(1970, 1, 1, tzinfo=dt.UTC)


class Wall:
    """The clock on the wall of a zone. Inside, a moment is a whole number of minutes since 1970 in UTC, so that a day may have 23 or 25 hours."""

    def __init__(self, zone: str) -> None:
        self.zone = ZoneInfo(zone)

    def minute(self, moment: dt.datetime) -> int:
        """A wall-clock time as minutes. One that occurs twice is the first; one that the clock jumps over is as much later as it jumps."""
        return int((moment.replace(tzinfo=self.zone).astimezone(dt.UTC) - _EPOCH).total_seconds() // 60)

    def on(self, day: dt.date, clock: str) -> int:
        """A time of day, such as 08:30, on a day, as minutes."""
        return self.minute(dt.datetime.combine(day, dt.time.fromisoformat(clock)))

    def between(self, day: dt.date, start: str, end: str) -> tuple[int, int]:
        """From a time of day to another, which is on the next day where it is not later."""
        return self.on(day, start), self.on(day if end > start else day + dt.timedelta(days=1), end)

    def moment(self, minute: int) -> dt.datetime:
        """Minutes as a wall-clock time with its offset from UTC."""
        return (_EPOCH + dt.timedelta(minutes=minute)).astimezone(self.zone)

    def day(self, minute: int) -> dt.date:
        """The day on which a moment lies."""
        return self.moment(minute).date()

    def said(self, minute: int) -> str:
        """A time of day in words: 8:05."""
        return f"{self.moment(minute):%-H:%M}"

    def jump(self, day: dt.date) -> int:
        """By how many minutes the clock is put forward on a day (negative: back); 0 on most days."""
        midnight = dt.datetime.combine(day, dt.time())
        length = self.minute(midnight + dt.timedelta(days=1)) - self.minute(midnight)
        return 24 * 60 - length
