"""Finding a vehicle by what a person has before them: a unit number, a plate, the end of a VIN, a fleet's name.

Each question is one that an index answers, however many vehicles there are: of a word, in which of the fields it stands as a part.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from django.contrib.postgres.search import TrigramSimilarity
from django.db.models import Max, Q, QuerySet
from django.db.models.functions import Greatest, Upper

from rectaxis.fleets.models import Fleet, Vehicle, plain_plate
from rectaxis.record.models import CLOSED, Job

MOST = 20
FEW = 5
"""So many are shown of those that are alike, where nothing matches: alike is what the database says is (three letters of ten in common)."""
_FEW_KEYS = 400
_MOST_FLEETS = 50
"""A word that stands in the names of more fleets tells none of them apart."""


def found_vehicles(words: str) -> Sequence[Vehicle]:
    """Vehicles that match every word, with the last visit that was made; the first few, empty for no words.

    Plates are compared without spaces and hyphens, as people type them either way.
    """
    whole = _bare(words)
    if not whole:
        return []
    vehicles = Vehicle.objects.select_related("fleet").alias(plain_plate=plain_plate())
    every = _every_word(words.split())
    found: list[Vehicle] = list(vehicles.filter(every | Q(plain_plate__contains=whole)).order_by("unit", "pk")[:MOST])
    return _with_last_visits(found or _alike(vehicles, words))


def _bare(words: str) -> str:
    return re.sub(r"[\s-]", "", words).upper()


def _every_word(words: Sequence[str]) -> Q:
    """Each of the words stands somewhere. The longest, which few have, is asked for first: a word that all have is slow by itself."""
    longest, *others = sorted(words, key=len, reverse=True)
    every = _somewhere(longest)
    if others:
        # In no order: with one the database would rather go through all vehicles in that order than ask the words' index.
        those = Vehicle.objects.alias(plain_plate=plain_plate()).filter(every).order_by()
        few = list(those.values_list("pk", flat=True)[: _FEW_KEYS + 1])
        every = Q(pk__in=few) if len(few) <= _FEW_KEYS else every
    for word in others:
        every &= _somewhere(word)
    return every


def _somewhere(word: str) -> Q:
    """The word stands in one of the fields, or in the name of its fleet."""
    found = Q(plain_plate__contains=_bare(word))
    for name in ("unit", "vin", "make", "model"):
        found |= Q(**{f"{name}__icontains": word})
    fleets = list(Fleet.objects.filter(name__icontains=word).values_list("pk", flat=True)[: _MOST_FLEETS + 1])
    return found | Q(fleet__in=fleets) if len(fleets) <= _MOST_FLEETS else found | Q(fleet__name__icontains=word)


def _alike(vehicles: QuerySet[Vehicle], words: str) -> list[Vehicle]:
    """Vehicles that are written almost like this: a letter mistyped, two that changed places."""
    said = words.upper()
    likeness = Greatest(TrigramSimilarity("plain_unit", said), TrigramSimilarity("plain_plate", said))
    near = vehicles.alias(plain_unit=Upper("unit")).filter(
        Q(plain_unit__trigram_similar=said) | Q(plain_plate__trigram_similar=said)
    )
    return list(near.alias(likeness=likeness).order_by("-likeness", "unit")[:FEW])


def _with_last_visits(vehicles: list[Vehicle]) -> list[Vehicle]:
    """The same, each with when it was measured last as ``last_visit``."""
    visits = Job.objects.filter(vehicle__in=vehicles, status__in=CLOSED).order_by()
    last = dict(visits.values_list("vehicle").annotate(Max("planned_at")))
    for vehicle in vehicles:
        vehicle.last_visit = last.get(vehicle.pk)  # type: ignore[attr-defined] # for the list alone
    return vehicles
