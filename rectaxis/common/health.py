"""Whether the program is well, for whatever watches over it: without names, numbers or versions, since anybody may ask.

It is answered before anything else is done with a request: what is done otherwise needs the database that may be away.
"""

from __future__ import annotations

from collections.abc import Callable

from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase

LIVE, READY = "/health/live/", "/health/ready/"


class Health:
    """Answers ``LIVE`` (the web process answers) and ``READY`` (and so does the database)."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.path not in (LIVE, READY):
            return self.get_response(request)
        well = request.path == LIVE or _database_answers()
        said, status = ("well\n", 200) if well else ("the database does not answer\n", 503)
        return HttpResponse(said, content_type="text/plain", status=status, headers={"Cache-Control": "no-store"})


def _database_answers() -> bool:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except DatabaseError:
        return False
    return True
