"""Give a report its number."""

from __future__ import annotations

from rectaxis.business.models import Business
from rectaxis.common.locks import locking


def next_number() -> str:
    """The next report's number, and the one after it stands ready. To be asked within a transaction."""
    Business.objects.get_or_create(pk=Business.ONLY)
    business = locking(Business).get(pk=Business.ONLY)
    given = f"{business.prefix}{business.next_number}"
    business.next_number += 1
    business.save(update_fields=["next_number"])
    return given
