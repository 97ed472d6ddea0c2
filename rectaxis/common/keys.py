"""Keys that browsers make: version 7 UUIDs (RFC 9562), whose first 48 bits are milliseconds since 1970.

A key recognises a repeat. It never decides an order, and the clock in it may be wrong by years.
"""

import datetime as dt
from uuid import UUID

_VERSION = 7
_LAST = dt.datetime(9999, 1, 1, tzinfo=dt.UTC)


def made_key(raw: object) -> UUID:
    """The key in ``raw``. **Raises** ValueError, with a sentence for the person, for anything else."""
    try:
        key = UUID(str(raw))
    except ValueError:
        key = None
    if key is None or key.version != _VERSION:
        raise ValueError("This save came without a proper key; reload the page and do it again.")
    return key


def time_of(key: UUID) -> dt.datetime:
    """What the clock said where a key was made; the last day that can be kept for one beyond it."""
    seconds = (key.int >> 80) / 1000
    return min(_LAST, dt.datetime(1970, 1, 1, tzinfo=dt.UTC) + dt.timedelta(seconds=min(seconds, 2.5e11)))
