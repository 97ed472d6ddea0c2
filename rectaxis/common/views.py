"""Pages for what went wrong: what, and what to do now."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from rectaxis.common.connections import give_back
from rectaxis.common.observed import number


def _wrong(request: HttpRequest, status: int, title: str, text: str) -> HttpResponse:
    try:
        return render(request, "wrong.html", {"title": title, "text": text}, status=status)
    finally:
        # Under ASGI Django makes these pages in a thread of its own, whose connection it never gives back.
        give_back()


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:  # noqa: ARG001 - Django's signature
    """400."""
    return _wrong(request, 400, "That request made no sense", "Go back, reload the page and try again.")


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:  # noqa: ARG001 - Django's signature
    """403."""
    return _wrong(request, 403, "This is not open to you", "Ask the office if you think that it should be.")


def not_sent_from_here(request: HttpRequest, reason: str = "") -> HttpResponse:  # noqa: ARG001 - Django's signature
    """403 for a form whose token is missing or old."""
    return _wrong(request, 403, "This page was open for too long", "Go back, reload the page and send it again.")


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:  # noqa: ARG001 - Django's signature
    """404."""
    return _wrong(request, 404, "There is nothing here", "It may have been moved. Start again from Today.")


def broken(request: HttpRequest) -> HttpResponse:
    """500. Plain, since what broke may be what a page needs."""
    return render(request, "broken.html", {"number": number()}, status=500)
