"""Choosing the specification for a vehicle."""

from __future__ import annotations

from django.db.models import Q, QuerySet

from rectaxis.fleets.models import Vehicle
from rectaxis.specs.models import Specification


def specifications_for(vehicle: Vehicle) -> list[Specification]:
    """The library's specifications for the vehicle's make, model and year, the closest first: those that name the year."""
    if not vehicle.make:
        return []
    of_model = Specification.objects.filter(make__iexact=vehicle.make, model__iexact=vehicle.model)
    fitting = [one for one in of_model if one.fits_year(vehicle.year)]
    return sorted(fitting, key=lambda one: (one.year_from is None and one.year_to is None, bool(one.applies)))


def found_by_words(words: str) -> QuerySet[Specification]:
    """The specifications of which every word stands somewhere in what they are called."""
    every = Q()
    for word in words.split():
        every &= (Q(name__icontains=word) | Q(make__icontains=word) | Q(model__icontains=word)
                  | Q(applies__icontains=word) | Q(source__icontains=word))  # fmt: skip
    return Specification.objects.filter(every)


def specification_for(vehicle: Vehicle) -> Specification | None:
    """The closest of them; None where the library has none."""
    return next(iter(specifications_for(vehicle)), None)
