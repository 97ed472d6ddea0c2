"""What every page knows of the person who looks at it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.utils.functional import SimpleLazyObject

from rectaxis.people.access import may_manage
from rectaxis.people.models import User

if TYPE_CHECKING:
    from django.http import HttpRequest


def person(request: HttpRequest) -> dict[str, object]:
    """Whether the office's pages are open to them; asked of the database only where a page shows it."""
    who = getattr(request, "user", None)
    return {"manages": SimpleLazyObject(lambda: isinstance(who, User) and may_manage(who))}
