"""How large a request of somebody may be."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module

from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, SESSION_KEY
from django.urls import reverse

from rectaxis.common.bodies import MOST, MOST_UNKNOWN
from rectaxis.common.connections import give_back
from rectaxis.people.access import may_manage
from rectaxis.people.models import User

MOST_OF_A_FLEET = 505_000_000
"""A fleet's whole data, from another installation."""


def most_for(path: str, cookies: Mapping[str, str]) -> int:
    """How many bytes are taken: little of somebody who is not signed in, a fleet's whole data of who manages."""
    try:
        person = _person(cookies.get(settings.SESSION_COOKIE_NAME, ""))
        if person is None:
            return MOST_UNKNOWN
        return MOST_OF_A_FLEET if path == reverse(settings.PLACES["bring-fleet"]) and may_manage(person) else MOST
    finally:
        give_back()


def _person(key: str) -> User | None:
    if not key:
        return None
    store = import_module(settings.SESSION_ENGINE).SessionStore(key)
    if store.get(BACKEND_SESSION_KEY) is None:
        return None
    return User.objects.filter(pk=store.get(SESSION_KEY), is_active=True).first()
