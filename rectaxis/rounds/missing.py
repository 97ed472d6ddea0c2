"""Yards in which vehicles stand and of which nobody has said where they lie."""

from __future__ import annotations

from django.db.models import Case, CharField, F, Value, When

from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.rounds.models import Place

MOST = 40


def unplaced_yards() -> list[tuple[Fleet, str]]:
    """Each with its fleet, the first few."""
    at = Case(When(yard="", then=F("fleet__yard")), default=F("yard"), output_field=CharField())
    stands = (
        Vehicle.objects.annotate(at=at)
        .exclude(at=Value(""))
        .order_by("fleet__name", "at")
        .values_list("fleet_id", "at")
        .distinct()
    )
    known = set(Place.objects.filter(kind=Place.Kind.YARD).values_list("fleet_id", "name"))
    left = [pair for pair in stands[:2000] if pair not in known][:MOST]
    fleets = Fleet.objects.in_bulk([fleet for fleet, _ in left])
    return [(fleets[fleet], name) for fleet, name in left]
