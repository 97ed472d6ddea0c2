"""The business's time zone, for every page."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from rectaxis.business.models import the_business


class OwnTimeZone:
    """Shows and reads times in the zone in which the business works; what is kept is kept in UTC."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        with timezone.override(the_business().time_zone):
            return self.get_response(request)
