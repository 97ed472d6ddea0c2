"""Days that are kept as text."""

from __future__ import annotations

import datetime as dt


def day_of(iso: str) -> dt.date | None:
    """The day of a text such as 2026-08-03; None for any other."""
    try:
        return dt.date.fromisoformat(iso)
    except ValueError:
        return None
