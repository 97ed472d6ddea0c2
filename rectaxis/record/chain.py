"""Seals in a chain: each link is a keyed digest of its seal, of what was typed and moved before it, and of the link before.

The key is made of the program's own secret, which is not in the database: whoever changes, removes or moves a seal, an entry or a move
in the database cannot make the links anew. What is cut off at the end is seen by a link that was written down elsewhere, as backups do.
"""

from __future__ import annotations

import hashlib
import hmac
import json
from collections.abc import Iterator
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import connection, transaction
from django.db.models.signals import post_save
from django.dispatch import receiver
from django.utils import timezone

from rectaxis.record.models import Entry, Link, Move, Seal

_ONE_AT_A_TIME = 0x5EA1
_SEALED = (
    "id",
    "job_id",
    "by_id",
    "sequence",
    "phase",
    "revision",
    "reason",
    "digest",
    "core_version",
    "job_file",
    "results",
    "sentences",
    "statement",
    "device_at",
)
_ENTRY = ("id", "by_id", "sequence", "slot", "typed", "value", "counts", "taken", "device_at", "at")
_MOVE = (
    "id",
    "by_id",
    "sequence",
    "axle",
    "adjuster",
    "start",
    "end",
    "effect",
    "undoes_id",
    "strikes_id",
    "device_at",
    "at",
)
FIRST = "0" * 64
"""What the first link follows."""


def _key() -> bytes:
    return hashlib.sha256(b"rectaxis.seals/" + settings.SECRET_KEY.encode()).digest()


def _said(fields: dict[str, Any]) -> bytes:
    return json.dumps(fields, sort_keys=True, default=str, ensure_ascii=True).encode()


def _content(seal: dict[str, Any]) -> str:
    """The digest of a seal and of what was typed and moved before it, as the database has them."""
    made = hashlib.sha256(_said(seal))
    before = {"job": seal["job_id"], "sequence__lt": seal["sequence"]}
    for model, names in ((Entry, _ENTRY), (Move, _MOVE)):
        for row in model._default_manager.filter(**before).order_by("sequence").values(*names):
            made.update(_said(row))
    return made.hexdigest()


def _mac(number: int, seal: object, at: str, before: str, content: str) -> str:
    return hmac.new(
        _key(), _said({"number": number, "seal": seal, "at": at, "before": before, "content": content}), "sha256"
    ).hexdigest()


@receiver(post_save, sender=Seal)
def link_seal(instance: Seal, *, created: bool, **_: Any) -> None:
    """Put a new seal at the end of the chain, in the transaction that makes it."""
    if created:
        link(instance.pk)


@transaction.atomic
def link(seal: object) -> Link:
    """The next link. One at a time, whoever seals."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_ONE_AT_A_TIME])
    last = Link.objects.order_by("-number").first()
    number, before = (last.number + 1, last.mac) if last else (1, FIRST)
    # As the database has it: it writes some numbers otherwise than they were given.
    found = Seal.objects.values(*_SEALED).get(pk=seal)
    at = timezone.now()
    return Link.objects.create(
        number=number, seal=found["id"], at=at, mac=_mac(number, found["id"], at.isoformat(), before, _content(found))
    )


def link_all() -> int:
    """Link what an earlier version sealed; answers with how many."""
    linked = Link.objects.values("seal")
    missing = list(Seal.objects.exclude(pk__in=linked).order_by("at", "sequence", "pk").values_list("pk", flat=True))
    for pk in missing:
        link(pk)
    return len(missing)


def head() -> str:
    """The last link as it is written down elsewhere: its number and its digest; empty without one."""
    last = Link.objects.order_by("-number").first()
    return f"{last.number}-{last.mac}" if last else ""


PRINTED = 16
"""Of how many of a link's 64 characters what is printed on reports is: 64 bits, which nobody finds without the key."""


def printed_link(seal: UUID) -> str:
    """The link of a seal as reports print it, whoever holds one of which has written the chain down; empty for a seal without one."""
    link = Link.objects.filter(seal=seal).first()
    return f"{link.number}-{link.mac[:PRINTED]}" if link else ""


def faults(anchor: str = "") -> Iterator[str]:
    """What is not as it was sealed, as sentences. ``anchor`` is a ``head`` of earlier, or a link as a report prints it: what was cut
    off since is found by it.
    """
    before, expected = FIRST, 1
    for one in Link.objects.order_by("number").iterator():
        if one.number != expected:
            yield f"Links {expected} to {one.number - 1} of the chain are missing."
        expected = one.number + 1
        yield from _fault_of(one, before)
        before = one.mac
    linked = Link.objects.values("seal")
    for pk, job in Seal.objects.exclude(pk__in=linked).values_list("pk", "job_id").iterator():
        yield f"Seal {pk} of visit {job} is not in the chain: it was put in otherwise than by sealing."
    number, _, mac = anchor.partition("-")
    known = number.isdecimal() and len(mac) >= PRINTED
    if anchor and not (known and Link.objects.filter(number=int(number), mac__startswith=mac).exists()):
        yield f"Link {number or '?'} is not the one that was written down: what followed was cut off, or the chain was made anew."


def _fault_of(one: Link, before: str) -> Iterator[str]:
    found = Seal.objects.filter(pk=one.seal).values(*_SEALED).first()
    if found is None:
        yield f"Seal {one.seal}, link {one.number}, is gone."
    elif not hmac.compare_digest(one.mac, _mac(one.number, one.seal, one.at.isoformat(), before, _content(found))):
        yield (
            f"Seal {one.seal} ({found['phase']} of visit {found['job_id']}), link {one.number}: it, what was typed or moved before it, "
            "or its place is not as it was sealed."
        )
