"""Choosing the specification for a vehicle: by what is known of it, with the reasons, the most fitting first."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

from django.db.models import Q, QuerySet

from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.specs.models import Specification


@dataclass(frozen=True)
class Fit:
    """A set of figures, what speaks for it, and what speaks against it."""

    figures: Specification
    because: tuple[str, ...]
    against: tuple[str, ...]


def fits_for(vehicle: Vehicle, sizes: Collection[str] = ()) -> list[Fit]:
    """The library's figures for the vehicle's make and model, the most fitting first; ``sizes`` are the tyre sizes found on it.

    What its year or its tyres rule out comes last. A set that holds for some tyres is no better than one for any until it is known
    which are on it.
    """
    if not vehicle.make:
        return []
    of_model = Specification.objects.filter(make__iexact=vehicle.make, model__iexact=vehicle.model)
    fits = [_fit(one, vehicle, {plain_size(size) for size in sizes if size.strip()}) for one in of_model]
    return sorted(
        fits, key=lambda fit: (len(fit.against), -len(fit.because), bool(fit.figures.apart), str(fit.figures))
    )


def _fit(one: Specification, vehicle: Vehicle, sizes: set[str]) -> Fit:
    because, against = [], []
    if one.year_from is not None or one.year_to is not None:
        if vehicle.year is None:
            against.append("it holds for some years, and the vehicle's is not known")
        elif one.fits_year(vehicle.year):
            because.append(f"it names the year {vehicle.year}")
        else:
            against.append(f"it does not hold for {vehicle.year}")
    if one.tyres and sizes:
        fitting = sizes & {plain_size(size) for size in one.tyres.split(",")}
        (because if fitting == sizes else against).append(
            f"it is for tyres {one.tyres}" + ("" if fitting == sizes else ", and others are on it")
        )
    return Fit(one, tuple(because), tuple(against))


def plain_size(size: str) -> str:
    """A tyre size as it is compared: without what people write differently, spaces and the case of letters."""
    return re.sub(r"[\s-]", "", size).upper()


def found_by_words(words: str) -> QuerySet[Specification]:
    """The specifications of which every word stands somewhere in what they are called."""
    every = Q()
    for word in words.split():
        every &= (Q(name__icontains=word) | Q(make__icontains=word) | Q(model__icontains=word)
                  | Q(applies__icontains=word) | Q(source__icontains=word))  # fmt: skip
    return Specification.objects.filter(every)


def specification_for(vehicle: Vehicle) -> Specification | None:
    """The most fitting by what is known before a visit; None where nothing in the library holds for it."""
    sizes = Layout.from_json(vehicle.layout).sizes.values()
    return next((fit.figures for fit in fits_for(vehicle, sizes) if not fit.against), None)
