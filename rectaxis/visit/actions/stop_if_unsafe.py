"""What stops the work: a part that was found unsafe, until it is put right or the job is ended."""

from __future__ import annotations

from rectaxis.record.errors import RecordError
from rectaxis.visit.visit import Visit


class UnsafeError(RecordError):
    """A part is unsafe; the text names it and says what can be done."""


def stop_if_unsafe(visit: Visit) -> None:
    """**Raises** UnsafeError. Part of actions that have asked for permission."""
    unsafe = visit.progress.facts.unsafe
    if unsafe:
        names = ", ".join(part.name for part in unsafe)
        raise UnsafeError(
            f"Stop: {names} is marked unsafe. End the job, or put it right and say so under Look over; then go on."
        )
