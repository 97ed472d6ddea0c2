"""What every request leaves behind."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from rectaxis.common.connections import give_back


class GiveBackConnection:
    """Gives the connection to the database back in the thread that used it.

    Django does so when a request has ended; but one whose browser went away while a view was at work ends before the view does,
    and what the view asked the database for since would never be given back.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        try:
            return self.get_response(request)
        finally:
            give_back()
