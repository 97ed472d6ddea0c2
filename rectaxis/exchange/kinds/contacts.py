"""Lists of contacts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from django.core.exceptions import ValidationError
from django.core.validators import validate_email

from rectaxis.exchange.kinds.base import FAULTY, NEW, THERE, Field, Kind, Line
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.post.models import Contact


class Contacts(Kind):
    """Contacts of fleets. They get nothing by themselves until somebody says so."""

    CODE, NAME, MODEL = "contacts", "Contacts", Contact
    FIELDS = (
        Field("fleet", "Fleet", True, ("customer", "company", "client")),
        Field("name", "Name", True, ("name", "contact", "person")),
        Field("email", "E-mail address", True, ("email", "e-mail", "mail", "address")),
    )
    USUAL = ("fleet",)

    def choices(self, code: str) -> Sequence[tuple[str, str]]:  # noqa: ARG002 - only fleets are chosen
        """Fleets."""
        return [(name, name) for name in Fleet.objects.values_list("name", flat=True)]

    def lines(self, given: Iterable[Mapping[str, str]]) -> list[Line]:
        """Every line; two questions, however many there are."""
        fleets = {fleet.name.casefold(): fleet for fleet in Fleet.objects.all()}
        there: set[tuple[object, str]] = {
            (fleet, email.casefold()) for fleet, email in Contact.objects.values_list("fleet_id", "email")
        }
        found = []
        for number, line in enumerate(given, start=1):
            fleet = fleets.get(line["fleet"].casefold())
            faults = list(_faults(line, fleet))
            key = (fleet.pk if fleet else None, line["email"].casefold())
            becomes = FAULTY if faults else THERE if key in there else NEW
            if becomes == NEW:
                there.add(key)
            found.append(Line(number, line, becomes, tuple(faults), fleet))
        return found

    def make(self, lines: Sequence[Line], by: User) -> list[str]:  # noqa: ARG002 - who it was stands with the list
        """The contacts that are new."""
        made = Contact.objects.bulk_create(
            [Contact(fleet=line.made, name=line.given["name"][:80], email=line.given["email"]) for line in lines],
            batch_size=1_000,
        )
        return [str(contact.pk) for contact in made]

    def in_use(self, keys: Sequence[str]) -> int:
        """Those to whom a letter was written."""
        return Contact.objects.filter(pk__in=keys, letters__isnull=False).distinct().count()


def _faults(line: Mapping[str, str], fleet: Fleet | None) -> Iterable[str]:
    if fleet is None:
        yield f"No fleet is called “{line['fleet']}”." if line["fleet"] else "Say which fleet they belong to."
    if not line["name"]:
        yield "It has no name."
    try:
        validate_email(line["email"])
    except ValidationError:
        yield f"Expected an e-mail address, got “{line['email']}”."
