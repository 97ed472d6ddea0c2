"""Keys that browsers make: version 7 UUIDs (RFC 9562), whose first 48 bits are milliseconds since 1970."""

import time
from uuid import UUID

_TIME_ORDERED = 7
_AHEAD_MS = 300_000
"""A key from further in the future would win over everything done until then."""


def time_key(raw: object) -> UUID:
    """The key in ``raw``. **Raises** ValueError, with a sentence for the person, for anything else or a future one."""
    try:
        key = UUID(str(raw))
    except ValueError:
        key = None
    if key is None or key.version != _TIME_ORDERED:
        raise ValueError("This save came without a proper key; reload the page and do it again.")
    if key.int >> 80 > time.time() * 1000 + _AHEAD_MS:
        raise ValueError("This device's clock is ahead of the server's; reload the page and do it again.")
    return key
