"""The business's time zone and the person's words, for every page."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from alignment.speech import Speech, speaking
from rectaxis.business.models import the_business


class ZoneAndSpeech:
    """Shows and reads times in the zone in which the business works; what is kept is kept in UTC. Sides and lengths are named
    as the person who reads wants them.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        business, person = the_business(), request.user
        speech = Speech(business.side_names)
        if person.is_authenticated:
            speech = Speech(person.side_names or business.side_names, person.length_unit)
        with timezone.override(business.time_zone), speaking(speech):
            return self.get_response(request)
