"""What is seen of every request from outside: a number of its own, a line in the log, and how many there were and how long they took.

No line and no count has a name, an address or words that somebody typed: where a request went is said by its pattern in the table of
addresses, in which keys are blanks.
"""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from prometheus_client import Counter, Histogram

log = logging.getLogger("rectaxis.requests")
HEADER = "X-Request-Id"
SERVER_ERROR = 500
_number: ContextVar[str] = ContextVar("request", default="")

REQUESTS = Counter("rectaxis_requests", "Requests that were answered", ["method", "route", "status"])
SECONDS = Histogram(
    "rectaxis_request_seconds",
    "Seconds until a request was answered",
    ["route"],
    buckets=(0.01, 0.025, 0.05, 0.1, 0.2, 0.4, 0.8, 1.6, 3.2, 6.4),
)
_KNOWN = frozenset(("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"))


def number() -> str:
    """The number of the request in hand, by which its lines in the log are found; empty outside of one."""
    return _number.get()


class WithNumber(logging.Filter):
    """Gives each line of the log the number of its request."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Every line passes."""
        record.request_number = number()
        return True


class Observed:
    """Gives a request its number, and says what became of it. A number that comes from outside is not taken: it could be anything."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        given = _number.set(secrets.token_hex(6))
        started = time.perf_counter()
        try:
            answer = self.get_response(request)
            answer[HEADER] = number()
            self._said(request, answer.status_code, time.perf_counter() - started)
        finally:
            _number.reset(given)
        return answer

    @staticmethod
    def _said(request: HttpRequest, status: int, took: float) -> None:
        match = request.resolver_match
        route = f"/{match.route}" if match is not None else "none of ours"
        method = request.method if request.method in _KNOWN else "other"
        REQUESTS.labels(method, route, str(status)).inc()
        SECONDS.labels(route).observe(took)
        level = logging.ERROR if status >= SERVER_ERROR else logging.INFO
        about = {"method": method, "route": route, "status": status, "ms": round(took * 1e3)}
        log.log(level, "%s %s %s in %d ms", method, route, status, took * 1e3, extra=about)
