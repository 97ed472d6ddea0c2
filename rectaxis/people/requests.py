"""What every view may count on, since the middleware lets nobody else through."""

from __future__ import annotations

from django.http import HttpRequest
from django_htmx.middleware import HtmxDetails

from rectaxis.people.models import User


class Request(HttpRequest):
    """A request of somebody who is signed in."""

    user: User
    htmx: HtmxDetails
