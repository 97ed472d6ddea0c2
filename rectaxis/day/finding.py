"""Finding a vehicle by what a person has before them: a unit number, a plate, the end of a VIN, a fleet's name."""

from __future__ import annotations

import re
from collections.abc import Sequence

from django.contrib.postgres.search import TrigramSimilarity
from django.db.models import Max, Q, QuerySet, Value
from django.db.models.functions import Greatest, Replace, Upper

from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import CLOSED

MOST = 20
ALIKE, FEW = 0.3, 5
"""How alike (shares of three-letter pieces) a unit or plate is to be shown where nothing matches, and how many are."""


def found_vehicles(words: str) -> Sequence[Vehicle]:
    """Vehicles that match every word, with the last visit that was made; the first few, empty for no words.

    Plates are compared without spaces and hyphens, as people type them either way.
    """
    whole = re.sub(r"[\s-]", "", words).upper()
    if not whole:
        return []
    vehicles = Vehicle.objects.select_related("fleet").annotate(
        plain_plate=Upper(Replace(Replace("registration", Value(" "), Value("")), Value("-"), Value(""))),
        last_visit=Max("jobs__planned_at", filter=Q(jobs__status__in=CLOSED)),
    )
    every = Q()
    for word in words.split():
        bare = re.sub(r"[\s-]", "", word).upper()
        every &= (
            Q(unit__icontains=word) | Q(fleet__name__icontains=word) | Q(make__icontains=word) | Q(model__icontains=word)
            | Q(plain_plate__contains=bare) | Q(vin__contains=bare)
        )  # fmt: skip
    found = list(vehicles.filter(every | Q(plain_plate__contains=whole)).order_by("unit")[:MOST])
    return found or _alike(vehicles, words)


def _alike(vehicles: QuerySet[Vehicle], words: str) -> Sequence[Vehicle]:
    """Vehicles that are written almost like this: a letter mistyped, two that changed places."""
    likeness = Greatest(TrigramSimilarity("unit", words), TrigramSimilarity("plain_plate", words.upper()))
    near = vehicles.annotate(likeness=likeness).filter(likeness__gte=ALIKE)
    return list(near.order_by("-likeness", "unit")[:FEW])
