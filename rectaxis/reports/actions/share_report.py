"""A link that shows one report without signing in: made, opened, revoked."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets

from django.db.models import F
from django.utils import timezone

from rectaxis.people.access import demand, may_see_fleet
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.reports.models import Link

DAYS = (7, 30, 90)
"""For how long a link may hold."""


class LinkError(RecordError):
    """A link that cannot be made; the text says why."""


def share_report(person: User, job: Job, days: int) -> tuple[Link, str]:
    """A link to a closed job's report, with the secret that its address ends with: it is shown once and not kept.

    **Raises** PermissionDenied, LinkError.
    """
    demand(allowed=may_see_fleet(person, job.vehicle.fleet_id) and job.closed)
    if days not in DAYS:
        raise LinkError(f"A link holds for {', '.join(map(str, DAYS[:-1]))} or {DAYS[-1]} days.")
    secret = secrets.token_urlsafe(24)
    return Link.objects.create(
        job=job, digest=_digest(secret), by=person, until=timezone.now() + dt.timedelta(days=days)
    ), secret


def revoke_link(person: User, link: Link) -> Link:
    """From now on it shows nothing. **Raises** PermissionDenied."""
    demand(allowed=may_see_fleet(person, link.job.vehicle.fleet_id))
    Link.objects.filter(pk=link.pk, revoked_at=None).update(revoked_at=timezone.now())
    link.refresh_from_db()
    return link


def find_link(secret: str) -> Link | None:
    """The link whose address ends with ``secret``, if it holds. Whoever made it may have been shut out since: then it holds no more."""
    link = (
        Link.objects.select_related("job__vehicle__fleet", "job__technician", "by")
        .filter(digest=_digest(secret))
        .first()
    )
    if link is None or not link.holds or not may_see_fleet(link.by, link.job.vehicle.fleet_id):
        return None
    return link


def count_opened(link: Link) -> None:
    """It was opened once more."""
    Link.objects.filter(pk=link.pk).update(opened=F("opened") + 1, opened_at=timezone.now())


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
