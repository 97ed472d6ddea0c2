"""Lists of fleets."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from rectaxis.exchange.kinds.base import FAULTY, NEW, THERE, Field, Kind, Line
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User


class Fleets(Kind):
    """Customers with their yards."""

    CODE, NAME, MODEL = "fleets", "Fleets and their yards", Fleet
    FIELDS = (
        Field("name", "Name", True, ("fleet", "customer", "company", "client")),
        Field("yard", "Yard", False, ("depot", "site", "location", "address")),
    )

    def choices(self, code: str) -> Sequence[tuple[str, str]]:  # noqa: ARG002 - nothing is chosen for all
        """Nothing."""
        return ()

    def lines(self, given: Iterable[Mapping[str, str]]) -> list[Line]:
        """Every line; one question."""
        there = {name.casefold() for name in Fleet.objects.values_list("name", flat=True)}
        found = []
        for number, line in enumerate(given, start=1):
            faults = () if line["name"] else ("It has no name.",)
            becomes = FAULTY if faults else THERE if line["name"].casefold() in there else NEW
            there.add(line["name"].casefold())
            found.append(Line(number, line, becomes, faults))
        return found

    def make(self, lines: Sequence[Line], by: User) -> list[str]:  # noqa: ARG002 - who it was stands with the list
        """The fleets that are new."""
        made = Fleet.objects.bulk_create(
            [Fleet(name=line.given["name"][:80], yard=line.given["yard"][:120]) for line in lines]
        )
        return [str(fleet.pk) for fleet in made]

    def in_use(self, keys: Sequence[str]) -> int:
        """Those that have vehicles, contacts or people."""
        found = Fleet.objects.filter(pk__in=keys)
        return len({*found.filter(vehicles__isnull=False).values_list("pk", flat=True), *found.filter(contacts__isnull=False).values_list("pk", flat=True),
                    *found.filter(viewers__isnull=False).values_list("pk", flat=True)})  # fmt: skip
