"""Under which name a failed sign-in is counted."""

from __future__ import annotations

from django.http import HttpRequest

from rectaxis.people.models import User


def name_tried(request: HttpRequest, credentials: dict[str, object] | None) -> str:
    """The name that was tried, no longer than a name can be and without what the database cannot keep."""
    given = (credentials or {}).get("username") or request.POST.get("login", "")
    return str(given).replace("\x00", "")[: User._meta.get_field("username").max_length]
